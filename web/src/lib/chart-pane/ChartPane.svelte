<script lang="ts">
  import { CHART_BARS } from '$lib/constants'
  import { untrack, type Snippet } from 'svelte'
  import { sentence, type Chart, type Schemas } from '$lib/api'
  import type { Kind } from '$lib/charts/drawing'
  import DrawLayer from '$lib/charts/DrawLayer.svelte'
  import PatternLayer, { marksOf } from '$lib/charts/PatternLayer.svelte'
  import PriceChart, { type View } from '$lib/charts/PriceChart.svelte'
  import { commandIn } from '$lib/commands'
  import { download } from '$lib/csv'
  import { day, moment } from '$lib/format'
  import { show } from '$lib/inview.svelte'
  import { market, standOn } from '$lib/market.svelte'
  import { tell } from '$lib/notice.svelte'
  import { preferences } from '$lib/preferences.svelte'
  import { ask, client, keepPrevious, query } from '$lib/queries'
  import BarsTable from './BarsTable.svelte'
  import ChartTools, { type Aside } from './ChartTools.svelte'
  import { Drawings } from './drawings.svelte'
  import FactsAside from './FactsAside.svelte'
  import Legend from './Legend.svelte'
  import Past from './Past.svelte'
  import PatternsAside, { byAge } from './PatternsAside.svelte'
  import TellMe from './TellMe.svelte'
  import WhyAside from './WhyAside.svelte'

  interface Props {
    symbol: string
    text: string
    /** Symbols likely to be wanted next: fetched ahead, so that flicking does not wait. */
    ahead: string[]
    full: boolean
    position: string
    onfull?: () => void
    /** The rule it is looked at through, for the bench. */
    rule?: Schemas['BenchRule'] | null
    /** What else is drawn over the chart. */
    over?: Snippet<[Chart, View]>
    /** Prices that the scale reaches however far off they lie. */
    reach?: number[]
  }
  const { symbol, text, ahead, full, position, onfull, rule = null, over: more, reach = [] }: Props = $props()
  const PER_MONTH: Partial<Record<Chart['frame'], number>> = { day: 21, week: 4.35, month: 1 }
  const PER_SESSION: Partial<Record<Chart['frame'], number>> = {
    '5min': 78,
    '15min': 26,
    '30min': 13,
    '65min': 6,
  }

  let point = $state<number | null>(null)
  let aside = $state<Aside>(null)
  let asTable = $state(false)
  let picked = $state.raw<Chart['patterns'][number] | null>(null)
  let spoken = $state.raw<string[]>([])
  let plot: ReturnType<typeof PriceChart> | undefined = $state()
  const drawings = new Drawings()

  const choice = $derived(preferences.now.chart!)
  // What was chosen where there are shorter bars is no choice in a market without them.
  const frame = $derived(market.now!.frames.includes(choice.frame ?? 'day') ? (choice.frame ?? 'day') : 'day')
  const per = $derived(PER_SESSION[frame] ?? PER_MONTH[frame] ?? 21)
  const span = $derived(frame in PER_SESSION ? (choice.sessions ?? 2) : (choice.months ?? 6))
  const shown = $derived(span ? Math.max(20, Math.ceil(span * per)) : CHART_BARS)
  // As much again lies to the left, to be panned to.
  const bars = $derived(Math.min(CHART_BARS, Math.max(2 * shown, 260)))

  const asked = (of: string) =>
    ask.chart({
      symbol: of,
      text,
      as_of: market.asOf,
      bars,
      frame,
      panes: choice.panes ?? [],
      all_patterns: aside === 'patterns',
    })
  const answer = query(() => ({ ...asked(symbol), ...keepPrevious }))
  const data = $derived(answer.data ?? null)
  const failed = $derived(answer.error ? sentence(answer.error) : '')

  $effect(() => {
    if (!answer.isSuccess || answer.isPlaceholderData) return
    const found = answer.data
    untrack(() => {
      if (aside !== 'patterns') spoken = found.patterns.map((p) => p.name)
      point = null
    })
    for (const next of ahead) void client.prefetchQuery(asked(next))
  })

  $effect(() => show(symbol, rule))

  $effect(() => {
    void drawings.load(symbol, { as_of: market.asOf, frame })
  })

  const at = $derived(data ? Math.min(point ?? Infinity, data.days.length - 1) : 0)
  const pattern = $derived(
    data?.patterns.find((p) => p === picked) ?? byAge(data?.patterns ?? [], spoken)[0] ?? null,
  )
  const drawnPatterns = $derived(aside === 'patterns' ? (pattern ? [pattern] : []) : (data?.patterns ?? []))
  const marked = $derived(drawings.all.find((d) => d.id === drawings.selected))

  async function picture(): Promise<void> {
    if (!data) return
    try {
      const made = await plot?.picture(
        `${data.symbol}  ${data.name}, ${frame} bars to ${moment(data.days.at(-1))}`,
      )
      if (made) download(`${data.symbol} ${data.days.at(-1)!.replace(':', '.')}.png`, made)
      else tell('There is no chart to save; show the chart, not the table.')
    } catch {
      tell('The browser could not make a picture of the chart.')
    }
  }

  function keydown(event: KeyboardEvent): void {
    const command = commandIn(event, 'chart')
    if (command === 'chart.why' && text.trim()) aside = aside === 'why' ? null : 'why'
    else if (command === 'chart.facts') aside = aside === 'facts' ? null : 'facts'
    else if (command === 'chart.patterns') aside = aside === 'patterns' ? null : 'patterns'
    else if (command === 'chart.line') drawings.tool = 'line'
    else if (command === 'chart.letgo') {
      drawings.tool = null
      drawings.selected = null
    } else if (command === 'chart.erase' && marked) void drawings.erase(marked)
  }
</script>

<svelte:window onkeydown={keydown} />

<section class="flex h-full flex-col" aria-label="Chart of {symbol}">
  {#if failed}
    <p role="alert" class="p-6 text-loss">{failed}</p>
  {:else if !data}
    <p class="p-6 text-ink2">Drawing {symbol} …</p>
  {:else if !data.days.length}
    <p class="p-6 text-ink2">{symbol} has no {frame === 'day' ? '' : `${frame} `}bars by this evening.</p>
  {:else}
    <Legend {data} {point} {full} {position} />
    <ChartTools
      bind:aside
      bind:asTable
      {full}
      hit={text.trim() ? data.hits.includes(at) : null}
      tool={drawings.tool}
      ondraw={(kind) => {
        asTable = false
        drawings.tool = kind
      }}
      onlevel={() =>
        void drawings.add('level', [{ day: data!.days.at(-1)!, price: data!.close.at(-1) ?? 1 }])}
      onpicture={picture}
      {onfull}
    >
      {#snippet more()}
        <TellMe {symbol} close={data!.close.at(-1) ?? null} drawings={drawings.all} />
      {/snippet}
    </ChartTools>
    {#if marked}
      <div class="flex shrink-0 items-center gap-3 bg-paper2 px-4 py-0.5 text-[13px]">
        <input
          class="field min-w-0 flex-1 py-0"
          aria-label="What the drawing says"
          placeholder={marked.kind === 'text' ? 'What it says' : 'A name for it'}
          maxlength="200"
          value={marked.text}
          onchange={(event) => void drawings.name(marked, event.currentTarget.value)}
        />
        {#if marked.touches.length}<span class="num text-ink2"
            >{marked.support ? 'below' : 'above'} prices, {marked.touches.length} touches, last {day(
              marked.touches.at(-1),
            )}</span
          >{/if}
        <button class="link" onclick={() => void drawings.erase(marked)}>Delete</button>
        <button class="link" onclick={() => (drawings.selected = null)}>Done</button>
      </div>
    {/if}
    <div class="flex min-h-0 flex-1">
      {#if asTable}
        <BarsTable {data} />
      {:else}
        <div class="min-w-0 flex-1">
          <PriceChart
            bind:this={plot}
            {data}
            {shown}
            log={choice.log ?? true}
            marks={marksOf(drawnPatterns)}
            {reach}
            onpoint={(index) => (point = index)}
            onhit={(index) => standOn(data!.days[index]!.slice(0, 10))}
          >
            {#snippet over(view)}
              {@render more?.(data!, view)}
              <PatternLayer chart={data!} {view} patterns={drawnPatterns} />
              <DrawLayer
                chart={data!}
                {view}
                drawings={drawings.all}
                tool={drawings.tool}
                selected={drawings.selected}
                onadd={(kind: Kind, places) => void drawings.add(kind, places)}
                onmove={(drawing, places) => void drawings.move(drawing, places)}
                onselect={(id) => (drawings.selected = id)}
                onerase={(drawing) => void drawings.erase(drawing)}
              />
            {/snippet}
          </PriceChart>
        </div>
      {/if}
      {#if aside}
        <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
        <aside
          tabindex="0"
          class="w-[300px] shrink-0 overflow-auto border-l border-hair px-3 py-1 text-[12.5px]"
          aria-label={aside === 'why' ? 'Line by line' : aside === 'facts' ? 'Facts' : 'Patterns'}
        >
          {#if aside === 'why'}<WhyAside
              {symbol}
              {text}
              on={data.days[at]!}
            />{:else if aside === 'facts'}<FactsAside {symbol} />{:else}<PatternsAside
              chart={data}
              {spoken}
              picked={pattern}
              onpick={(one) => (picked = one)}
            />{/if}
        </aside>
      {/if}
    </div>
    {#if text.trim()}<Past {data} />{/if}
  {/if}
</section>
