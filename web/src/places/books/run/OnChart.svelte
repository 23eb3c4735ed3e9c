<script lang="ts">
  /** A trade on its chart: entry, exit, and every level as it stood on each bar, as stepped lines; why it ended, in a sentence. */
  import { sentence, type Schemas } from '$lib/api'
  import PriceChart from '$lib/charts/PriceChart.svelte'
  import { commandIn } from '$lib/commands'
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
    return error ? sentence(error) : ''
  })

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
      into: scale(found.trade.entry_at, found.trade.entry),
      outs: found.parts.map((one) => ({ one, at: scale(one.exit_at, one.exit) })),
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

<section class="flex h-full flex-col bg-paper" aria-label="Trade in {trade?.symbol ?? ''}">
  <div class="flex shrink-0 flex-wrap items-baseline gap-x-3 border-b border-hair px-4 py-2 text-[13px]">
    <span class="font-mono font-semibold">{trade?.symbol ?? ''}</span>
    <span class="text-ink3">{place}</span>
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
    <span class="ml-auto flex gap-4 whitespace-nowrap">
      <button class="link" title="The trade before (k)" onclick={() => onstep(-1)}>before</button>
      <button class="link" title="The next trade (j)" onclick={() => onstep(1)}>next</button>
      <button class="link" title="Escape" onclick={onclose}>close</button>
    </span>
  </div>
  {#if failed}
    <p role="alert" class="p-6 text-loss">{failed}</p>
  {:else if !data || !steps}
    <p class="p-6 text-ink2">Drawing {trade?.symbol ?? 'the trade'} …</p>
  {:else}
    <div class="min-h-0 flex-1">
      <PriceChart {data} {shown} onpoint={() => {}}>
        {#snippet over(view)}
          <svg
            data-over
            class="pointer-events-none absolute inset-0 h-full w-full"
            viewBox="0 0 {view.width} {view.height}"
            aria-hidden="true"
          >
            {#if steps.into}
              {@const last = steps.outs[part]?.at ?? null}
              <rect
                x={view.x(steps.into.x) - 3}
                y={view.plot.top}
                width={Math.max((last ? view.x(last.x) : view.x(steps.into.x)) - view.x(steps.into.x) + 6, 6)}
                height={view.plot.bottom - view.plot.top}
                fill="var(--glow)"
                opacity="0.2"
              />
            {/if}
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
            {#if steps.signal >= 0}
              <path
                d="M{view.x(steps.signal)},{view.plot.top}V{view.plot.bottom}"
                stroke="var(--ember)"
                stroke-dasharray="2 4"
              />
            {/if}
            {#if steps.into}
              {@const [x0, y0] = [view.x(steps.into.x), view.y(steps.into.y)]}
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
            {#each steps.outs as { one, at }, i (i)}
              {#if at}
                <rect x={view.x(at.x) - 4} y={view.y(at.y) - 4} width="8" height="8" fill="var(--ember)" />
                <text
                  x={view.x(at.x) + 7}
                  y={view.y(at.y) - 7}
                  font-size="12"
                  font-family="var(--font-mono)"
                  stroke="var(--paper)"
                  stroke-width="3"
                  paint-order="stroke"
                  fill="var(--ember)">{one.reason === 'end' ? 'open' : 'out'} {price(one.exit)}</text
                >
              {/if}
            {/each}
          </svg>
        {/snippet}
      </PriceChart>
    </div>
    <p class="shrink-0 border-t border-hair px-4 py-1 text-[12.5px] text-ink2">
      <span class="text-loss">━</span> stop, <span class="text-loss">╍</span> stop that follows,
      <span class="text-gain">━</span> targets, as they rested on each bar; dotted: the signal.
    </p>
  {/if}
</section>
