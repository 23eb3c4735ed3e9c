<script lang="ts">
  /** Everything, as one data package. */
  import { onDestroy } from 'svelte'
  import { data, type DataJob } from '$lib/api'
  import { size } from '$lib/format'
  import Progress from '$lib/Progress.svelte'
  import { Watched } from '$lib/watched.svelte'

  let text = $state(false)
  const writing = new Watched<DataJob>('data', data.job, {
    stop: data.stop,
    again: () => data.writeOut(text),
  })
  onDestroy(() => writing.leave())
  const written = $derived(writing.busy ? null : writing.result)
</script>

<div>
  <h2 class="font-title text-[19px]">Export everything</h2>
  <p class="mt-1 text-[13px] text-ink2">
    One zip of open tables with their schema (a data package): bars, instruments, facts, membership, calendar.
    It comes in again as the same market.
  </p>
  <label class="mt-2 block text-[13px]"
    ><input type="checkbox" class="tick" bind:checked={text} /> bars as CSV too, instead of Parquet</label
  >
  <button class="quiet mt-2" disabled={writing.busy} onclick={() => writing.start(() => data.writeOut(text))}
    >Export</button
  >
  <div class="mt-3"><Progress watched={writing} /></div>
  {#if written?.file && writing.run}
    <p class="text-[13px]">
      <a
        class="underline underline-offset-3"
        href="/api/data/exports/{writing.run.id}"
        download={written.file}>{written.file}</a
      >, {size(written.bytes ?? 0)}
    </p>
  {/if}
</div>
