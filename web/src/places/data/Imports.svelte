<script lang="ts">
  /** What came in, newest first; each of the last ten can be taken back. */
  import { onDestroy } from 'svelte'
  import { data, type DataJob, type DataThere } from '$lib/api'
  import { when } from '$lib/format'
  import { tell } from '$lib/notice.svelte'
  import Progress from '$lib/Progress.svelte'
  import { forget } from '$lib/queries'
  import { Watched } from '$lib/watched.svelte'
  import Changes from './Changes.svelte'

  const { imports, may }: { imports: DataThere['imports']; may: boolean } = $props()
  const undoing = new Watched<DataJob>('data', data.job, { stop: data.stop, again: () => data.undo(last) })
  onDestroy(() => undoing.leave())
  let last = 0
  let open = $state<number | null>(null)
  let all = $state(false)
  const shown = $derived(all ? imports : imports.slice(0, 8))

  async function undo(id: number): Promise<void> {
    last = id
    if (await undoing.start(() => data.undo(id))) tell('It is undone; what later imports said stays.')
    await forget('data')
  }
</script>

<section class="mt-10" aria-label="Imports">
  <h2 class="font-title text-[19px]">Imports</h2>
  <div class="mt-1"><Progress watched={undoing} /></div>
  {#if imports.length === 0}
    <p class="mt-1 text-[13px] text-ink2">Nothing was imported yet.</p>
  {:else}
    <ul class="mt-1 text-[13px]">
      {#each shown as one (one.id)}
        <li class="border-t border-hair/60 py-1.5">
          <div class="grid grid-cols-[128px_minmax(0,1fr)_auto] items-baseline gap-4">
            <span class="text-ink3">{when(one.at)}</span>
            <button
              class="min-w-0 text-left hover:text-ember"
              class:line-through={one.undone !== null}
              class:text-ink3={one.undone !== null}
              aria-expanded={open === one.id}
              onclick={() => (open = open === one.id ? null : one.id)}
              ><span class="break-words">{one.what}</span>
              <span class="text-ink3">· {one.source}{one.by ? `, ${one.by}` : ''}</span></button
            >
            {#if one.undone}
              <span class="text-ink3">undone {when(one.undone)}</span>
            {:else if one.undoable && may}
              <button
                class="link"
                disabled={undoing.busy}
                aria-label="Undo {one.what}"
                onclick={() => undo(one.id)}>Undo</button
              >
            {:else}<span></span>{/if}
          </div>
          {#if open === one.id}
            <div class="mt-2 mb-2 pl-[144px]">
              <Changes tables={one.tables} changes={one.changes} notes={one.notes} />
            </div>
          {/if}
        </li>
      {/each}
    </ul>
    {#if imports.length > shown.length}
      <button class="link mt-2 text-[13px]" onclick={() => (all = true)}>All {imports.length}</button>
    {/if}
  {/if}
</section>
