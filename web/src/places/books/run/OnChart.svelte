<script lang="ts">
  /** A trade on its chart: entry, exit, and every level as it stood on each bar, as stepped lines; why it ended, in a sentence. */
  import { sentence as sentenceOf, type Schemas } from '$lib/api'
  import TradeMarks from '$lib/charts/TradeMarks.svelte'
  import TradePanel from '$lib/charts/TradePanel.svelte'
  import { fixed, moment, percent, price, tone, whole } from '$lib/format'
  import { market } from '$lib/market.svelte'
  import { ask, keepPrevious, query } from '$lib/queries'

  interface Props {
    run: number
    number: number
    part: number
    place: string
    onstep: (by: 1 | -1) => void
    onclose: () => void
  }
  const { run, number, part, place, onstep, onclose }: Props = $props()
  const AFTER = 12
  const BEFORE = 60
  const answer = query(() => ({ ...ask.bookTrade(run, number, part), ...keepPrevious }))
  const found = $derived(answer.data ?? null)
  const trade = $derived(found?.trade ?? null)
  const until = $derived.by(() => {
    if (!trade) return null
    const sessions = market.now?.sessions ?? []
    const more = found?.frame === 'day' ? AFTER : 1
    return sessions[Math.min(sessions.indexOf(trade.exit_day) + more, sessions.length - 1)] ?? null
  })
  const shown = $derived(Math.max(90, (found?.bars.length ?? 0) + AFTER + BEFORE))
  const drawn = query(() => ({
    ...ask.chart({
      symbol: trade?.symbol ?? '',
      text: 'close < 0', // no rule of its own: the marks of hits would hide the trade
      as_of: until,
      bars: Math.max(260, shown + 60),
      frame: found?.frame ?? 'day',
      panes: [],
      all_patterns: false,
    }),
    enabled: trade !== null,
    ...keepPrevious,
  }))
  const data = $derived(drawn.data ?? null)
  const failed = $derived.by(() => {
    const error = answer.error ?? drawn.error
    return error ? sentenceOf(error) : ''
  })

  const named = (at: { x: number; y: number } | null, text: string) => (at ? { ...at, text } : null)

  type Step = { x: number; y: number | null }
  /** Levels on the chart's own scale: a printed price of a day stands to that day's close as it did when printed. */
  const steps = $derived.by(() => {
    if (!found || !data || data.symbol !== found.trade.symbol) return null
    const bars = found.bars
      .map((bar) => ({ bar, at: data!.days.indexOf(bar.day) }))
      .filter(({ at }) => at >= 0)
    const on = (pick: (bar: Schemas['LevelBarOut']) => number | null): Step[] =>
      bars.map(({ bar, at }) => {
        const level = pick(bar)
        return { x: at, y: level === null ? null : (level / bar.close) * (data!.close[at] ?? bar.close) }
      })
    const scale = (when: string, value: number) => {
      const at = data!.days.indexOf(when)
      const bar = found!.bars.find((one) => one.day === when)
      return at < 0 ? null : { x: at, y: bar ? (value / bar.close) * (data!.close[at] ?? bar.close) : value }
    }
    return {
      stop: on((bar) => bar.stop),
      follow: on((bar) => bar.follow),
      targets: (found.bars[0]?.targets ?? []).map((_, i) => on((bar) => bar.targets[i] ?? null)),
      signal: data.days.indexOf(found.trade.signal_at),
      entry: named(scale(found.trade.entry_at, found.trade.entry), `in ${price(found.trade.entry)}`),
      exits: found.parts.map((one) =>
        named(scale(one.exit_at, one.exit), `${one.reason === 'end' ? 'open' : 'out'} ${price(one.exit)}`),
      ),
    }
  })

  function path(all: Step[], view: { x: (at: number) => number; y: (price: number) => number }): string {
    const half = all.length > 1 ? (view.x(all[1]!.x) - view.x(all[0]!.x)) / 2 : 3
    let said = ''
    let open = false
    for (const { x, y } of all) {
      if (y === null) {
        open = false
        continue
      }
      const [left, right, at] = [view.x(x) - half, view.x(x) + half, view.y(y)]
      said += `${open ? 'L' : 'M'}${left},${at}L${right},${at}`
      open = true
    }
    return said
  }
</script>

<TradePanel
  kind="Trade"
  symbol={trade?.symbol ?? ''}
  {place}
  data={steps ? data : null}
  {shown}
  {failed}
  step="trade"
  {onstep}
  {onclose}
>
  {#snippet sentence()}
    {#if trade && found}
      <span>
        {trade.side === 'short' ? 'Sold short' : 'Bought'}
        {whole(trade.shares)} on {moment(trade.entry_at)} at {price(trade.entry)} by “{trade.rule}”{trade.stop ===
        null
          ? ''
          : `, stop at ${price(trade.stop)}`}. {found.why}
        <span class="font-mono font-semibold {tone(trade.gain)}">{percent(trade.gain, 1)}</span
        >{trade.gain_r === null ? '' : `, ${fixed(trade.gain_r, 1)} R`}; {percent(trade.best)} at best, {percent(
          trade.worst,
        )} at worst on the way.
      </span>
    {/if}
  {/snippet}
  {#snippet marks(view)}
    {#if steps}
      <TradeMarks
        {view}
        signal={steps.signal}
        entry={steps.entry}
        exits={steps.exits.filter((exit) => exit !== null)}
        until={steps.exits[part] ?? null}
      />
      <path d={path(steps.stop, view)} fill="none" stroke="var(--loss)" stroke-width="1.4" />
      <path
        d={path(steps.follow, view)}
        fill="none"
        stroke="var(--loss)"
        stroke-width="1.4"
        stroke-dasharray="5 2"
      />
      {#each steps.targets as target, i (i)}
        <path d={path(target, view)} fill="none" stroke="var(--gain)" stroke-width="1.4" />
      {/each}
    {/if}
  {/snippet}
  {#snippet foot()}
    <p class="shrink-0 border-t border-hair px-4 py-1 text-[12.5px] text-ink2">
      <span class="text-loss">━</span> stop, <span class="text-loss">╍</span> trailing stop,
      <span class="text-gain">━</span> targets, as they rested on each bar; dotted: the signal.
    </p>
  {/snippet}
</TradePanel>
