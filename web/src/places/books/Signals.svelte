<script lang="ts">
  /** What came of every signal, as bars; a click lists them. */
  import type { Schemas } from '$lib/api'
  import { whole } from '$lib/format'
  import { OUTCOMES } from '$lib/constants'

  interface Props {
    counts: Schemas['SignalCounts']
    old: boolean
    onpick: (name: string) => void
  }
  const { counts, old, onpick }: Props = $props()
  const rows = $derived(
    (Object.keys(OUTCOMES) as (keyof typeof OUTCOMES)[])
      .filter((name) => counts[name] > 0)
      .map((name) => ({
        name,
        said: OUTCOMES[name],
        count: counts[name],
      })),
  )
  const total = $derived(rows.reduce((sum, row) => sum + row.count, 0))
  const most = $derived(Math.max(1, ...rows.map((row) => row.count)))
</script>

<div class="px-4 pt-2 pb-3 text-[13px]" class:waits={old}>
  <h2 class="text-ink2">What came of {whole(total)} {total === 1 ? 'signal' : 'signals'}</h2>
  {#if total === 0}<p class="mt-1 text-ink3">The rules found nothing on these days.</p>{/if}
  <ul class="mt-1">
    {#each rows as row (row.name)}
      <li class="border-b border-hair/70">
        <button
          class="grid w-full grid-cols-[minmax(0,1fr)_64px_110px] items-center gap-3 py-[3px] text-left hover:bg-row"
          title="List them"
          onclick={() => onpick(row.name)}
        >
          <span>{row.said}</span>
          <span class="num">{whole(row.count)}</span>
          <span class="block h-[9px]" aria-hidden="true"
            ><span
              class="block h-full {row.name === 'traded' ? 'bg-ember' : 'bg-hair'}"
              style:width="{Math.max(1, (row.count / most) * 100)}%"
            ></span></span
          >
        </button>
      </li>
    {/each}
  </ul>
</div>
