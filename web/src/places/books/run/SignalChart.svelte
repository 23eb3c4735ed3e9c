<script lang="ts">
  /** The chart of a signal that was not traded, with a few weeks after it. */
  import { sentence } from '$lib/api'
  import PriceChart from '$lib/charts/PriceChart.svelte'
  import { commandIn } from '$lib/commands'
  import { day as said } from '$lib/format'
  import { market } from '$lib/market.svelte'
  import { ask, keepPrevious, query } from '$lib/queries'

  interface Props {
    symbol: string
    day: string
    rule: string
    onclose: () => void
  }
  const { symbol, day, rule, onclose }: Props = $props()
  const AFTER = 40
  const until = $derived.by(() => {
    const sessions = market.now?.sessions ?? []
    return sessions[Math.min(sessions.indexOf(day) + AFTER, sessions.length - 1)] ?? null
  })
  const drawn = query(() => ({
    ...ask.chart({
      symbol,
      text: 'close < 0',
      as_of: until,
      bars: 260,
      frame: 'day',
      panes: [],
      all_patterns: false,
    }),
    ...keepPrevious,
  }))
  const data = $derived(drawn.data ?? null)
  const hit = $derived(data ? data.days.indexOf(day) : -1)

  function keydown(event: KeyboardEvent): void {
    if (commandIn(event, 'trade') !== 'trade.close') return
    event.preventDefault()
    event.stopPropagation()
    onclose()
  }
</script>

<svelte:window onkeydowncapture={keydown} />

<section class="flex h-full flex-col bg-paper" aria-label="Signal in {symbol}">
  <div class="flex shrink-0 items-baseline gap-3 border-b border-hair px-4 py-2 text-[13px]">
    <span class="font-mono font-semibold">{symbol}</span>
    <span>“{rule}” hit on {said(day)}, at the dotted line; it was not traded.</span>
    <button class="link ml-auto" title="Escape" onclick={onclose}>close</button>
  </div>
  {#if drawn.error}
    <p role="alert" class="p-6 text-loss">{sentence(drawn.error)}</p>
  {:else if !data}
    <p class="p-6 text-ink2">Drawing {symbol} …</p>
  {:else}
    <div class="min-h-0 flex-1">
      <PriceChart {data} shown={130} onpoint={() => {}}>
        {#snippet over(view)}
          <svg
            data-over
            class="pointer-events-none absolute inset-0 h-full w-full"
            viewBox="0 0 {view.width} {view.height}"
            aria-hidden="true"
          >
            {#if hit >= 0}<path
                d="M{view.x(hit)},{view.plot.top}V{view.plot.bottom}"
                stroke="var(--ember)"
                stroke-dasharray="2 4"
              />{/if}
          </svg>
        {/snippet}
      </PriceChart>
    </div>
  {/if}
</section>
