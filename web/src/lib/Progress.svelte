<script lang="ts">
  /** How far a run is, with Stop; or why there is no answer, and how to get one. */
  import type { Work } from './watched.svelte'
  import type { Watched } from './watched.svelte'

  // eslint-disable-next-line @typescript-eslint/no-explicit-any
  const { watched, onagain }: { watched: Watched<any>; onagain?: () => void } = $props()
  const run = $derived(watched.run as Work | null)
</script>

{#if run && watched.busy}
  <div class="mb-3 text-[13px]" role="status">
    <p class="flex items-center gap-3 text-ink2">
      {run.state === 'waiting'
        ? 'Waiting for the worker'
        : `${run.stage}, ${Math.round(run.share * 100)}% done`}
      <button class="link underline" onclick={() => watched.stop()}>Stop</button>
    </p>
    <div class="mt-1 h-[3px] w-full bg-paper2">
      <div class="h-full bg-ember" style:width="{run.share * 100}%"></div>
    </div>
  </div>
{:else if watched.failed}
  <p role="alert" class="mb-2 text-loss">{watched.failed}</p>
{:else if run?.state === 'stopped' || run?.state === 'interrupted'}
  <p class="mb-2 text-[13px] text-ink2" role="status">
    {run.state === 'stopped' ? 'Stopped. Nothing was kept of this.' : run.detail}
    <button class="underline underline-offset-3" onclick={() => (onagain ?? (() => watched.again()))()}
      >Run it again</button
    >
  </p>
{/if}
