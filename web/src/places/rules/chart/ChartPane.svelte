<script lang="ts">
  import { api, sentence, type Chart } from '$lib/api'
  import type { Kind } from '$lib/charts/drawing'
  import DrawLayer from '$lib/charts/DrawLayer.svelte'
  import PatternLayer, { marksOf } from '$lib/charts/PatternLayer.svelte'
  import PriceChart from '$lib/charts/PriceChart.svelte'
  import { commandIn } from '$lib/commands'
  import { download } from '$lib/csv'
  import { day, fixed, percent, price, read, short, whole } from '$lib/format'
  import { market, standOn } from '$lib/market.svelte'
  import { tell } from '$lib/notice.svelte'
  import { preferences } from '$lib/preferences.svelte'
  import ChartTools, { type Aside } from './ChartTools.svelte'
  import { Drawings } from './drawings.svelte'
  import FactsAside from './FactsAside.svelte'
  import Past from './Past.svelte'
  import PatternsAside, { byAge } from './PatternsAside.svelte'
  import WhyAside from './WhyAside.svelte'

  interface Props {
    symbol: string
    text: string
    /** Symbols likely to be wanted next: fetched ahead, so that flicking does not wait. */
    ahead: string[]
    full: boolean
    position: string
    onfull: () => void
  }
  const { symbol, text, ahead, full, position, onfull }: Props = $props()
  const KEPT = 60
  const PER_MONTH = { day: 21, week: 4.35, month: 1 }
  const MOST = 4000

  let data = $state.raw<Chart | null>(null)
  let failed = $state('')
  let point = $state<number | null>(null)
  let aside = $state<Aside>(null)
  let asTable = $state(false)
  let picked = $state.raw<Chart['patterns'][number] | null>(null)
  let spoken = $state.raw<string[]>([])
  let plot: ReturnType<typeof PriceChart> | undefined = $state()
  const drawings = new Drawings()

  const choice = $derived(preferences.now.chart!)
  const frame = $derived(choice.frame ?? 'day')
  const shown = $derived(choice.months ? Math.max(20, Math.ceil(choice.months * PER_MONTH[frame])) : MOST)
  // As much again lies to the left, to be panned to.
  const bars = $derived(Math.min(MOST, Math.max(2 * shown, 260)))

  // Not reactive on purpose: a cache of answers, newest last.
  const cache: Record<string, Promise<Chart>> = {}
  function fetched(of: string): Promise<Chart> {
    const asked = {
      symbol: of,
      text,
      as_of: market.asOf,
      bars,
      frame,
      panes: choice.panes ?? [],
      all_patterns: aside === 'patterns',
    }
    const key = JSON.stringify(asked)
    const got = cache[key] ?? api.chart(asked, new AbortController().signal)
    delete cache[key]
    cache[key] = got
    got.catch(() => delete cache[key])
    for (const old of Object.keys(cache).slice(0, -KEPT)) delete cache[old]
    return got
  }

  $effect(() => {
    let current = true
    const every = aside === 'patterns'
    const wanted = fetched(symbol)
    wanted
      .then((found) => {
        if (!current) return
        data = found
        if (!every) spoken = found.patterns.map((p) => p.name)
        failed = ''
        point = null
        for (const next of ahead) void fetched(next).catch(() => {})
      })
      .catch((error) => {
        if (current) failed = sentence(error)
      })
    return () => (current = false)
  })

  $effect(() => {
    void drawings.load(symbol, { as_of: market.asOf, frame })
  })

  const at = $derived(data ? Math.min(point ?? Infinity, data.days.length - 1) : 0)
  const change = $derived(data?.change[at])
  const pattern = $derived(
    data?.patterns.find((p) => p === picked) ?? byAge(data?.patterns ?? [], spoken)[0] ?? null,
  )
  const drawnPatterns = $derived(aside === 'patterns' ? (pattern ? [pattern] : []) : (data?.patterns ?? []))
  const marked = $derived(drawings.all.find((d) => d.id === drawings.selected))

  async function picture(): Promise<void> {
    if (!data) return
    try {
      const made = await plot?.picture(
        `${data.symbol}  ${data.name}, ${frame} bars to ${day(data.days.at(-1))}`,
      )
      if (made) download(`${data.symbol} ${data.days.at(-1)}.png`, made)
      else tell('There is no chart to save; show the chart, not the table.')
    } catch {
      tell('The browser could not make a picture of the chart.')
    }
  }

  function keydown(event: KeyboardEvent): void {
    const command = commandIn(event, 'chart')
    if (command === 'chart.why') aside = aside === 'why' ? null : 'why'
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
    <p class="p-6 text-ink2">{symbol} has no bars by this evening.</p>
  {:else}
    <div
      class="num flex max-h-[38px] shrink-0 flex-wrap items-baseline gap-x-2 overflow-hidden px-4 pt-1 text-left text-[12px]"
    >
      <span class="font-semibold">{data.symbol}</span>
      {#if position}<span class="font-sans text-ink3">{position}</span>{/if}
      {#if full}<span class="font-sans text-[13px]">{data.name}</span>{/if}
      <span class="text-ink3">{day(data.days[at])}</span>
      <span>O {price(data.open[at])}</span>
      <span>H {price(data.high[at])}</span>
      <span>L {price(data.low[at])}</span>
      <span>C {price(data.close[at])}</span>
      <span class={change && change < 0 ? 'text-loss' : 'text-gain'}>{percent(change)}</span>
      <span>vol {short(data.volume[at])}</span>
      {#if point === null}
        {@const f = data.facts}
        <span class="text-ink2">
          {fixed(f.rel_volume, 1)}× usual · {percent(f.off_high)} off high · ADR {percent(f.adr, 1, false)} · ATR
          {price(f.atr)}{#if f.days_to_report !== null && f.days_to_report !== undefined}
            · reports in {whole(f.days_to_report)} d{/if}
        </span>
      {:else}
        <span class="min-w-0 max-w-full truncate text-ink2">
          {#each data.overlays.slice(0, 3) as overlay (overlay.label)}
            {overlay.label.slice(0, 18)} {price(overlay.values[at])}&ensp;
          {/each}
          {#each data.panes.flat() as line (line.text)}
            {line.text} {read(line.values[at], line.shown, line.text)}&ensp;
          {/each}
        </span>
      {/if}
    </div>
    <ChartTools
      bind:aside
      bind:asTable
      {full}
      hit={data.hits.includes(at)}
      tool={drawings.tool}
      ondraw={(kind) => {
        asTable = false
        drawings.tool = kind
      }}
      onlevel={() =>
        void drawings.add('level', [{ day: data!.days.at(-1)!, price: data!.close.at(-1) ?? 1 }])}
      onpicture={picture}
      {onfull}
    />
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
        <div class="min-w-0 flex-1 overflow-auto px-4">
          <table class="num w-full text-[12px]">
            <thead class="sticky top-0 bg-paper text-ink2">
              <tr>
                {#each ['Day', 'Open', 'High', 'Low', 'Close', 'Change', 'Volume', ...data.overlays.map((o) => o.label), ...data.panes
                    .flat()
                    .map((line) => line.text)] as head (head)}
                  <th scope="col" class="px-1 text-right font-normal">{head}</th>
                {/each}
              </tr>
            </thead>
            <tbody>
              {#each data.days.slice(-520).map((_, i) => data!.days.length - 1 - i) as i (i)}
                <tr class={data.hits.includes(i) ? 'bg-glow' : ''}>
                  <th scope="row" class="px-1 text-right font-normal">{data.days[i]}</th>
                  <td class="px-1">{price(data.open[i])}</td>
                  <td class="px-1">{price(data.high[i])}</td>
                  <td class="px-1">{price(data.low[i])}</td>
                  <td class="px-1">{price(data.close[i])}</td>
                  <td class="px-1">{percent(data.change[i])}</td>
                  <td class="px-1">{short(data.volume[i])}</td>
                  {#each data.overlays as overlay (overlay.label)}
                    <td class="px-1">{price(overlay.values[i])}</td>
                  {/each}
                  {#each data.panes.flat() as line (line.text)}
                    <td class="px-1">{read(line.values[i], line.shown, line.text)}</td>
                  {/each}
                </tr>
              {/each}
            </tbody>
          </table>
        </div>
      {:else}
        <div class="min-w-0 flex-1">
          <PriceChart
            bind:this={plot}
            {data}
            {shown}
            log={choice.log ?? true}
            marks={marksOf(drawnPatterns)}
            onpoint={(index) => (point = index)}
            onhit={(index) => standOn(data!.days[index]!)}
          >
            {#snippet over(view)}
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
