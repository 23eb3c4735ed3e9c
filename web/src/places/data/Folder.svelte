<script lang="ts">
  /** The drop folder: what lies in it, and what became of the latest. */
  import type { DataThere } from '$lib/api'
  import { when } from '$lib/format'

  const { folder }: { folder: DataThere['folder'] } = $props()
</script>

<section class="mt-10" aria-label="The drop folder">
  <h2 class="font-title text-[19px]">The drop folder</h2>
  <p class="mt-1 max-w-[90ch] text-[13px] text-ink2">
    A file laid into <code class="break-all">{folder.path}</code> is brought in within seconds while the
    server runs, and moved to <code>done</code>; one that cannot be is moved to <code>refused</code>, with a
    report beside it that says why; one that has to be asked about waits in <code>asked</code> until that is answered
    at the top of this page.
  </p>
  {#if folder.waiting.length}
    <p class="mt-1 text-[13px]">Waiting: {folder.waiting.join(', ')}.</p>
  {/if}
  {#if folder.refused.length}
    <ul class="mt-2 text-[13px]">
      {#each folder.refused as one, i (i)}
        <li class="border-t border-hair/60 py-1">
          <span class="text-ink3">{when(one.at)}</span> <b class="font-semibold">{one.name}</b>
          <span class="text-loss">refused: {one.why}</span>
        </li>
      {/each}
    </ul>
  {/if}
</section>
