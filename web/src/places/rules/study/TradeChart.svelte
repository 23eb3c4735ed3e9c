<script lang="ts">
  /** One hit of a study on its chart: the bar of the hit, entry, exit, and the way between. */
  import { sentence, type Chart } from '$lib/api'
  import PatternLayer from '$lib/charts/PatternLayer.svelte'
  import PriceChart from '$lib/charts/PriceChart.svelte'
  import { day, percent, price } from '$lib/format'
  import { commandIn } from '$lib/commands'
  import { market } from '$lib/market.svelte'
  import { ask, keepPrevious, query } from '$lib/queries'

  interface Props {
    run: number
    text: string
    symbol: string
    on: string
    horizon: number
    place: string
    onstep: (by: 1 | -1) => void
    onstand: () => void
    onclose: () => void
  }
  const { run, text, symbol, on, horizon, place, onstep, onstand, onclose }: Props = $props()
  const AFTER = 12
  const traded = query(() => ({ ...ask.trade(run, symbol, on, horizon), ...keepPrevious }))
  const trade = $derived(traded.data ?? null)
  const to = $derived.by(() => {
    if (!trade) return null
    const sessions = market.now?.sessions ?? []
    const last = sessions.indexOf(trade.exit_day ?? trade.entry_day ?? trade.day)
    return sessions[Math.min(last + AFTER, sessions.length - 1)] ?? null
  })
  const drawn = query(() => ({
    ...ask.chart({
      symbol: trade?.symbol ?? symbol,
      text,
      as_of: to,
      bars: 260,
      frame: 'day' as const,
      panes: [],
      all_patterns: false,
    }),
    enabled: trade !== null,
    ...keepPrevious,
  }))
  const data = $derived(drawn.data ?? null)
  const failed = $derived.by(() => {
    const error = traded.error ?? drawn.error
    return error ? sentence(error) : ''
  })

  /** Places on the chart's own scale, on which splits and dividends since do not show. */
  const marks = $derived.by(() => {
    if (!trade || !data) return null
    const at = (wanted: string | null) => (wanted ? data!.days.indexOf(wanted) : -1)
    const [hit, into, out] = [at(trade.day), at(trade.entry_day), at(trade.exit_day)]
    const atClose = trade.entry_day === trade.day && trade.entry !== null && isClose(data, hit, trade.entry)
    return {
      hit,
      into,
      out,
      paid: into < 0 ? null : ((atClose ? data.close[into] : data.open[into]) ?? null),
      left: out < 0 ? null : (data.close[out] ?? null),
    }
  })

  function isClose(chart: Chart, index: number, entry: number): boolean {
    const [open, close] = [chart.open[index] ?? NaN, chart.close[index] ?? NaN]
    return Math.abs(close - entry) < Math.abs(open - entry)
  }

  function keydown(event: KeyboardEvent): void {
    const command = commandIn(event, 'trade')
    if (command === 'trade.close') onclose()
    else if (command === 'trade.next') onstep(1)
    else if (command === 'trade.before') onstep(-1)
    else return
    event.preventDefault()
    event.stopPropagation()
  }
</script>

<svelte:window onkeydowncapture={keydown} />

<section class="flex h-full flex-col bg-paper" aria-label="Trade in {symbol}">
  <div class="flex shrink-0 flex-wrap items-baseline gap-x-3 border-b border-hair px-4 py-2 text-[13px]">
    <span class="font-mono font-semibold">{symbol}</span>
    <span class="text-ink3">{place}</span>
    {#if trade}
      <span>
        Hit on {day(trade.day)}.
        {#if trade.state === 'not entered'}
          It could not be entered: there was no next bar.
        {:else if trade.state === 'pending'}
          Entered on {day(trade.entry_day)} at {price(trade.entry)}; {trade.bars} bars have not passed by the end
          of the study.
        {:else}
          In on {day(trade.entry_day)} at {price(trade.entry)}, out on {day(trade.exit_day)} at {price(
            trade.exit,
          )}{trade.state === 'delisted' ? ', its last price' : ''}:
          <span class="font-mono font-semibold {(trade.value ?? 0) < 0 ? 'text-loss' : 'text-gain'}"
            >{percent(trade.value, 2)}</span
          >
          after costs, baseline {percent(trade.baseline, 2)}. On the way {percent(trade.favourable, 1)} at best,
          {percent(trade.adverse, 1)} at worst.
        {/if}
      </span>
    {/if}
    <span class="ml-auto flex gap-4 whitespace-nowrap">
      <button class="link" title="The hit before (k)" onclick={() => onstep(-1)}>before</button>
      <button class="link" title="The next hit (j)" onclick={() => onstep(1)}>next</button>
      <button class="link" title="Make this the as-of day, with all its hits" onclick={onstand}
        >stand on this day</button
      >
      <button class="link" title="Escape" onclick={onclose}>close</button>
    </span>
  </div>
  {#if failed}
    <p role="alert" class="p-6 text-loss">{failed}</p>
  {:else if !data || !marks}
    <p class="p-6 text-ink2">Drawing {symbol} …</p>
  {:else}
    <div class="min-h-0 flex-1">
      <PriceChart {data} shown={110} onpoint={() => {}}>
        {#snippet over(view)}
          <PatternLayer chart={data!} {view} />
          <svg
            data-over
            class="pointer-events-none absolute inset-0 h-full w-full"
            viewBox="0 0 {view.width} {view.height}"
            aria-hidden="true"
          >
            {#if marks.into >= 0 && marks.paid !== null}
              {@const [x0, y0] = [view.x(marks.into), view.y(marks.paid)]}
              {#if marks.out >= 0 && marks.left !== null}
                {@const [x1, y1] = [view.x(marks.out), view.y(marks.left)]}
                <rect
                  x={x0 - 3}
                  y={view.plot.top}
                  width={Math.max(x1 - x0 + 6, 6)}
                  height={view.plot.bottom - view.plot.top}
                  fill="var(--glow)"
                  opacity="0.22"
                />
                <path d="M{x0},{y0}L{x1},{y1}" stroke="var(--ember)" stroke-width="1.6" />
                <rect x={x1 - 4} y={y1 - 4} width="8" height="8" fill="var(--ember)" />
                <text x={x1 + 7} y={y1 - 7} font-size="12" font-family="var(--font-mono)" fill="var(--ember)"
                  >out {price(trade?.exit ?? null)}</text
                >
              {/if}
              <circle cx={x0} cy={y0} r="4.5" fill="var(--paper)" stroke="var(--ember)" stroke-width="2" />
              <text
                x={x0 - 8}
                y={y0 - 8}
                text-anchor="end"
                font-size="12"
                font-family="var(--font-mono)"
                stroke="var(--paper)"
                stroke-width="3"
                paint-order="stroke"
                fill="var(--ember)">in {price(trade?.entry ?? null)}</text
              >
            {/if}
            {#if marks.hit >= 0}
              <path
                d="M{view.x(marks.hit)},{view.plot.top}V{view.plot.bottom}"
                stroke="var(--ember)"
                stroke-dasharray="2 4"
              />
            {/if}
          </svg>
        {/snippet}
      </PriceChart>
    </div>
  {/if}
</section>
