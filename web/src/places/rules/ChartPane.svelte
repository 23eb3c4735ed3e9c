<script lang="ts">
  import { api, sentence, type Chart, type Truth } from '$lib/api'
  import PriceChart from '$lib/charts/PriceChart.svelte'
  import { day, fixed, percent, price, short, whole } from '$lib/format'
  import { market } from '$lib/market.svelte'

  interface Props {
    symbol: string
    text: string
    /** Symbols likely to be wanted next: fetched ahead, so that flicking does not wait. */
    ahead: string[]
  }
  const { symbol, text, ahead }: Props = $props()
  const BARS = 520
  const KEPT = 60

  let data = $state.raw<Chart | null>(null)
  let failed = $state('')
  let point = $state<number | null>(null)
  let why = $state(false)
  let truths = $state.raw<Truth[] | null>(null)
  let asTable = $state(false)

  // Not reactive on purpose: a cache of answers, newest last.
  const cache: Record<string, Promise<Chart>> = {}
  function fetched(of: string): Promise<Chart> {
    const key = `${of}\n${market.asOf}\n${text}`
    const got =
      cache[key] ??
      api.chart({ symbol: of, text, as_of: market.asOf, bars: BARS }, new AbortController().signal)
    delete cache[key]
    cache[key] = got
    got.catch(() => delete cache[key])
    for (const old of Object.keys(cache).slice(0, -KEPT)) delete cache[old]
    return got
  }

  $effect(() => {
    let current = true
    const wanted = fetched(symbol)
    wanted
      .then((found) => {
        if (!current) return
        data = found
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
    if (!why || !data) return
    const on = data.days[point ?? data.days.length - 1]
    if (!on) return
    let current = true
    const timer = setTimeout(() => {
      api
        .explain(text, symbol, on)
        .then((found) => {
          if (current) truths = found
        })
        .catch(() => {
          if (current) truths = []
        })
    }, 60)
    return () => {
      current = false
      clearTimeout(timer)
    }
  })

  const at = $derived(data ? (point ?? data.days.length - 1) : 0)
  const change = $derived(data?.change[at])

  function side(value: number | null | undefined): string {
    if (value === null || value === undefined) return '–'
    const size = Math.abs(value)
    if (size >= 10_000) return short(value)
    return size >= 1 ? fixed(value, 2) : fixed(value, 4)
  }

  function keydown(event: KeyboardEvent): void {
    if (
      (event.target as HTMLElement).closest('input, textarea, select, .cm-editor') ||
      event.ctrlKey ||
      event.metaKey
    )
      return
    if (event.key === 'w') why = !why
  }
</script>

<svelte:window onkeydown={keydown} />

<section class="flex h-full flex-col" aria-label="Chart of {symbol}">
  {#if failed}
    <p role="alert" class="p-6 text-loss">{failed}</p>
  {:else if !data}
    <p class="p-6 text-ink2">Drawing {symbol} …</p>
  {:else}
    <div class="num flex shrink-0 flex-wrap items-baseline gap-x-2 px-4 pt-1.5 text-left text-[12px]">
      <span class="font-semibold">{data.symbol}</span>
      <span class="text-ink3">{day(data.days[at])}</span>
      <span>O {price(data.open[at])}</span>
      <span>H {price(data.high[at])}</span>
      <span>L {price(data.low[at])}</span>
      <span>C {price(data.close[at])}</span>
      <span class={change && change < 0 ? 'text-loss' : 'text-gain'}>{percent(change)}</span>
      <span>vol {short(data.volume[at])}</span>
      {#if point === null}
        <span class="text-ink2"
          >{#if data.facts.rel_volume !== null && data.facts.rel_volume !== undefined}{fixed(
              data.facts.rel_volume,
              1,
            )}× usual{/if}</span
        >
        {#if data.facts.days_to_report !== null && data.facts.days_to_report !== undefined}
          <span class="text-ink2">reports in {whole(data.facts.days_to_report)} d</span>
        {/if}
      {/if}
      <span class="ml-auto flex gap-3 font-sans text-[13px]">
        <button class="link" aria-pressed={asTable} onclick={() => (asTable = !asTable)}>
          {asTable ? 'as chart' : 'as table'}
        </button>
        <button class="link underline underline-offset-3" aria-pressed={why} onclick={() => (why = !why)}
          >{data.hits.includes(at) ? 'why a hit' : 'why not a hit'}</button
        >
      </span>
    </div>
    <div class="flex min-h-0 flex-1">
      {#if asTable}
        <div class="min-w-0 flex-1 overflow-auto px-4">
          <table class="num w-full text-[12px]">
            <thead class="sticky top-0 bg-paper text-ink2">
              <tr>
                {#each ['Day', 'Open', 'High', 'Low', 'Close', 'Change', 'Volume', ...data.overlays.map((o) => o.label)] as head (head)}
                  <th scope="col" class="px-1 text-right font-normal">{head}</th>
                {/each}
              </tr>
            </thead>
            <tbody>
              {#each data.days.map((_, i) => data!.days.length - 1 - i) as i (i)}
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
                </tr>
              {/each}
            </tbody>
          </table>
        </div>
      {:else}
        <div class="min-w-0 flex-1"><PriceChart {data} onpoint={(index) => (point = index)} /></div>
      {/if}
      {#if why}
        <aside
          class="w-[320px] shrink-0 overflow-auto border-l border-hair px-3 py-1 text-[12.5px]"
          aria-label="Line by line"
        >
          <p class="text-ink2">{symbol} on {day(data.days[at])}</p>
          {#if truths === null}
            <p class="text-ink3">Looking …</p>
          {:else}
            <ul>
              {#each truths as line, i (i)}
                <li class="border-t border-hair py-1">
                  <div class="flex gap-2 font-mono">
                    <span
                      class="w-3 shrink-0 font-semibold {line.truth === true
                        ? 'text-gain'
                        : line.truth === false
                          ? 'text-loss'
                          : 'text-ink3'}"
                      aria-label={line.truth === true ? 'true' : line.truth === false ? 'false' : 'unknown'}
                      >{line.truth === true ? '✓' : line.truth === false ? '✕' : '?'}</span
                    >
                    <span class="min-w-0 break-words">{line.text}</span>
                  </div>
                  {#if line.left_value !== null || line.right_value !== null}
                    <div class="num pl-5 text-left text-ink2">
                      {side(line.left_value)}
                      {line.operator}
                      {side(line.right_value)}{#if line.margin !== null}, by {side(line.margin)}{/if}
                    </div>
                  {/if}
                </li>
              {/each}
            </ul>
          {/if}
        </aside>
      {/if}
    </div>
  {/if}
</section>
