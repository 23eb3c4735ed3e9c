<script lang="ts">
  /** One hit of a study on its chart: the bar of the hit, entry, exit, and the way between. */
  import { sentence as sentenceOf, type Chart } from '$lib/api'
  import PatternLayer from '$lib/charts/PatternLayer.svelte'
  import TradeMarks from '$lib/charts/TradeMarks.svelte'
  import TradePanel from '$lib/charts/TradePanel.svelte'
  import { day, percent, price } from '$lib/format'
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
    return error ? sentenceOf(error) : ''
  })

  /** Places on the chart's own scale, on which splits and dividends since do not show. */
  const places = $derived.by(() => {
    if (!trade || !data) return null
    const at = (wanted: string | null) => (wanted ? data!.days.indexOf(wanted) : -1)
    const [hit, into, out] = [at(trade.day), at(trade.entry_day), at(trade.exit_day)]
    const atClose = trade.entry_day === trade.day && trade.entry !== null && isClose(data, hit, trade.entry)
    const paid = into < 0 ? null : ((atClose ? data.close[into] : data.open[into]) ?? null)
    const left = out < 0 ? null : (data.close[out] ?? null)
    return {
      hit,
      entry: paid === null ? null : { x: into, y: paid, text: `in ${price(trade.entry)}` },
      exit: left === null ? null : { x: out, y: left, text: `out ${price(trade.exit)}` },
    }
  })

  function isClose(chart: Chart, index: number, entry: number): boolean {
    const [open, close] = [chart.open[index] ?? NaN, chart.close[index] ?? NaN]
    return Math.abs(close - entry) < Math.abs(open - entry)
  }
</script>

<TradePanel
  kind="Trade"
  {symbol}
  {place}
  data={places ? data : null}
  shown={110}
  {failed}
  step="hit"
  {onstep}
  {onclose}
>
  {#snippet sentence()}
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
  {/snippet}
  {#snippet actions()}
    <button class="link" title="Make this the as-of day, with all its hits" onclick={onstand}
      >stand on this day</button
    >
  {/snippet}
  {#snippet over(view)}
    <PatternLayer chart={data!} {view} />
  {/snippet}
  {#snippet marks(view)}
    {#if places}
      {#if places.entry && places.exit}
        <path
          d="M{view.x(places.entry.x)},{view.y(places.entry.y)}L{view.x(places.exit.x)},{view.y(
            places.exit.y,
          )}"
          stroke="var(--ember)"
          stroke-width="1.6"
        />
      {/if}
      <TradeMarks
        {view}
        signal={places.hit}
        entry={places.entry}
        exits={places.exit ? [places.exit] : []}
        until={places.exit}
      />
    {/if}
  {/snippet}
</TradePanel>
