<script lang="ts">
  /** Small charts of all that is fresh, each name once, with the rules that brought it. */
  import { sentence } from '$lib/api'
  import MiniChart from '$lib/charts/MiniChart.svelte'
  import type { Desk } from '$lib/desk'
  import { ask, query } from '$lib/queries'
  import { go } from '$lib/router.svelte'

  const { desk, symbols }: { desk: Desk; symbols: string[] } = $props()
  const PAGE = 12
  let page = $state(0)
  const shown = $derived(symbols.slice(page * PAGE, (page + 1) * PAGE))
  const pages = $derived(Math.ceil(symbols.length / PAGE))
  const answer = query(() =>
    ask.charts({ text: '', as_of: desk.moment, symbols: shown, bars: 130, frame: 'day' }),
  )
  const of = (symbol: string) =>
    desk.watched.filter((one) => one.fresh.includes(symbol)).map((one) => one.name)
</script>

{#if answer.error}
  <p role="alert" class="mt-3 text-loss">{sentence(answer.error)}</p>
{:else if !answer.data}
  <p class="mt-3 text-ink2">Drawing the charts …</p>
{:else}
  <ul class="mt-3 grid gap-4 min-[620px]:grid-cols-2 min-[1200px]:grid-cols-3">
    {#each answer.data as chart (chart.symbol)}
      <li class="min-w-0">
        <button class="w-full text-left" onclick={() => go(`/symbol/${chart.symbol}`)}>
          <span class="flex items-baseline gap-2 text-[13px]"
            ><b class="font-mono">{chart.symbol}</b><span class="truncate text-ink2">{chart.name}</span></span
          >
          <span class="block h-[150px]"><MiniChart data={chart} /></span>
          <span class="block truncate text-[12px] text-ink3">{of(chart.symbol).join(', ')}</span>
        </button>
      </li>
    {/each}
  </ul>
  {#if pages > 1}
    <p class="mt-3 flex gap-4 text-[13px]">
      <button class="link" disabled={page === 0} onclick={() => page--}>the page before</button>
      {page + 1} of {pages}
      <button class="link" disabled={page === pages - 1} onclick={() => page++}>next page</button>
    </p>
  {/if}
{/if}
