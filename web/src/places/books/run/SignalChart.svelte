<script lang="ts">
  /** The chart of a signal that was not traded, with a few weeks after it. */
  import { sentence as sentenceOf } from '$lib/api'
  import TradeMarks from '$lib/charts/TradeMarks.svelte'
  import TradePanel from '$lib/charts/TradePanel.svelte'
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
</script>

<TradePanel
  kind="Signal"
  {symbol}
  {data}
  shown={130}
  failed={drawn.error ? sentenceOf(drawn.error) : ''}
  {onclose}
>
  {#snippet sentence()}
    <span>“{rule}” hit on {said(day)}, at the dotted line; it was not traded.</span>
  {/snippet}
  {#snippet marks(view)}
    <TradeMarks {view} signal={hit} entry={null} exits={[]} until={null} />
  {/snippet}
</TradePanel>
