<script lang="ts">
  import { sentence, type Chart, type Hit } from '$lib/api'
  import MiniChart from '$lib/charts/MiniChart.svelte'
  import { commandIn } from '$lib/commands'
  import { percent } from '$lib/format'
  import { here, market } from '$lib/market.svelte'
  import { show } from '$lib/inview.svelte'
  import { tell } from '$lib/notice.svelte'
  import { ask, client, query } from '$lib/queries'
  import type { Counts } from './counts.svelte'
  import { dismissed, setDismissed } from './dismissed.svelte'
  import { columnOf, shownColumns, ordered, setTable, sortBy, table } from './hits.svelte'

  interface Props {
    counts: Counts
    rule: number
    name: string
    onopen: (symbol: string) => void
  }
  const { counts, rule, name, onopen }: Props = $props()
  const { scan, counted: text } = $derived(counts)
  const SIZES = { 6: 3, 12: 4, 24: 6 } as const
  type Size = keyof typeof SIZES

  let size = $state<Size>((Number(localStorage.getItem('upperwick-sheet-size')) || 12) as Size)
  let page = $state(0)
  let at = $state(0)
  let grid: HTMLElement | undefined = $state()

  const rows = $derived(ordered(scan))
  const pages = $derived(Math.max(1, Math.ceil(rows.length / size)))
  const shown = $derived(rows.slice(page * size, page * size + size))
  const away = $derived(dismissed(rule, market.asOf))
  $effect(() => {
    const here = shown[at]
    if (here) return show(here.symbol, { id: rule, name, version: null })
  })
  const sort = $derived((table().sort ?? [])[0] ?? { text: 'symbol', down: false })
  const column = $derived(columnOf(sort.text, scan))
  const choices = $derived.by(() => {
    const found = shownColumns(scan)
    return found.some((c) => c.text === sort.text) ? found : [column, ...found]
  })

  $effect(() => {
    if (page >= pages) page = pages - 1
  })

  const symbolsOn = (which: number) =>
    rows
      .slice(which * size, which * size + size)
      .map((hit) => hit.symbol)
      .sort()
  const asked = (symbols: string[]) =>
    ask.charts({ symbols, text, as_of: market.asOf, bars: 120, frame: 'day' })
  const drawn = query(() => ({ ...asked(symbolsOn(page)), enabled: shown.length > 0 }))
  const charts = $derived(
    Object.fromEntries((drawn.data ?? []).map((chart) => [chart.symbol, chart])) as Record<string, Chart>,
  )
  const failed = $derived(drawn.error ? sentence(drawn.error) : '')
  $effect(() => {
    const next = symbolsOn(page + 1)
    if (drawn.isSuccess && next.length) void client.prefetchQuery(asked(next))
  })

  /** The last bar's change, from the chart itself, whatever columns the table has. */
  const moved = (hit: Hit) => charts[hit.symbol]?.change.at(-1) ?? null

  function resize(to: Size): void {
    const first = page * size
    size = to
    page = Math.floor(first / to)
    at = 0
    localStorage.setItem('upperwick-sheet-size', String(to))
  }

  function turn(by: number): void {
    page = Math.min(Math.max(page + by, 0), pages - 1)
    at = 0
  }

  function move(by: number): void {
    const to = at + by
    if (to >= shown.length && page < pages - 1) turn(1)
    else if (to < 0 && page > 0) {
      turn(-1)
      at = size - 1
    } else at = Math.min(Math.max(to, 0), shown.length - 1)
    grid?.querySelectorAll('article')[at]?.scrollIntoView({ block: 'nearest' })
  }

  let undone: string[] = []
  function dismiss(symbol: string): void {
    const gone = !away.has(symbol)
    setDismissed(rule, market.asOf, symbol, gone)
    if (gone) undone.push(symbol)
    tell(gone ? `${symbol} is dismissed for this evening.` : `${symbol} is back.`, {
      label: 'Undo',
      run: () => setDismissed(rule, market.asOf, symbol, !gone),
    })
  }

  function keydown(event: KeyboardEvent): void {
    const hit = shown[at]
    const across = SIZES[size]
    switch (commandIn(event, 'sheet')) {
      case 'sheet.next':
        move(1)
        break
      case 'sheet.before':
        move(-1)
        break
      case 'sheet.down':
        move(across)
        break
      case 'sheet.up':
        move(-across)
        break
      case 'sheet.page':
        turn(1)
        break
      case 'sheet.pageback':
        turn(-1)
        break
      case 'sheet.open':
        if (!hit || (event.target as HTMLElement).closest('button, a')) return
        onopen(hit.symbol)
        break
      case 'sheet.dismiss':
        if (!hit) return
        dismiss(hit.symbol)
        break
      case 'sheet.undo':
        if (!undone.length) return
        setDismissed(rule, market.asOf, undone.pop()!, false)
        break
      case null:
        return
    }
    event.preventDefault()
  }
</script>

<svelte:window onkeydown={keydown} />

<div class="flex h-full flex-col" class:waits={counts.counting} aria-busy={counts.counting} data-arrows>
  <div class="flex shrink-0 items-center gap-4 border-b border-hair px-4 py-1.5 text-[13px] text-ink2">
    <label>
      by <select
        class="inline-pick text-ink"
        aria-label="Order of the charts"
        value={sort.text}
        onchange={(event) => sortBy(columnOf(event.currentTarget.value, scan))}
      >
        {#each choices as c (c.text)}<option value={c.text}>{c.label.toLowerCase()}</option>{/each}
      </select>
    </label>
    <button
      class="link"
      aria-label={sort.down ? 'Descending' : 'Ascending'}
      onclick={() => setTable({ sort: [{ text: sort.text, down: !sort.down }] })}
      >{sort.down ? '▾' : '▴'}</button
    >
    <span class="text-ink3">j k move · Enter opens · x dismisses · u undoes</span>
    <span class="ml-auto flex items-center gap-1.5" role="group" aria-label="Charts a page">
      {#each [6, 12, 24] as const as n (n)}
        <button
          class="px-1 {n === size ? 'font-semibold text-ink' : 'link'}"
          aria-pressed={n === size}
          onclick={() => resize(n)}>{n}</button
        >
      {/each}
    </span>
    <button class="link" disabled={page === 0} aria-label="Page back" onclick={() => turn(-1)}>◂</button>
    <span class="num">{page + 1} of {pages}</span>
    <button class="link" disabled={page >= pages - 1} aria-label="Page on" onclick={() => turn(1)}>▸</button>
  </div>
  {#if failed}<p role="alert" class="px-4 py-2 text-loss">{failed}</p>{/if}
  {#if scan && rows.length === 0}
    <p class="px-4 py-8 text-ink2">
      No instrument passes every line {here()}: there is nothing to look at.
    </p>
  {/if}
  <div
    bind:this={grid}
    class="grid min-h-0 flex-1 auto-rows-fr overflow-auto"
    style:grid-template-columns="repeat({SIZES[size]}, minmax(0, 1fr))"
  >
    {#each shown as hit, i (hit.symbol)}
      <!-- svelte-ignore a11y_no_noninteractive_element_interactions, a11y_click_events_have_key_events -->
      <article
        class="flex min-h-[120px] min-w-0 flex-col border-r border-b border-hair px-2 py-1 {i === at
          ? 'outline-2 -outline-offset-2 outline-ember'
          : ''}"
        class:opacity-35={away.has(hit.symbol)}
        aria-label="{hit.symbol}, {hit.name}{away.has(hit.symbol) ? ', dismissed' : ''}"
        aria-current={i === at ? 'true' : undefined}
        onclick={() => (at = i)}
        ondblclick={() => onopen(hit.symbol)}
      >
        <header class="flex items-baseline gap-2 text-[12.5px]">
          <button
            class="font-mono font-semibold hover:underline"
            aria-label="Open {hit.symbol}"
            onclick={() => onopen(hit.symbol)}>{hit.symbol}</button
          >
          {#if size < 24}<span class="truncate text-ink2">{hit.name}</span>{/if}
          <span class="num ml-auto {(moved(hit) ?? 0) < 0 ? 'text-loss' : 'text-gain'}"
            >{percent(moved(hit))}</span
          >
        </header>
        <div class="min-h-0 flex-1">
          {#if charts[hit.symbol]}<MiniChart data={charts[hit.symbol]!} />{/if}
        </div>
        <footer class="num flex gap-2 text-left text-[11.5px] text-ink2">
          <span>{column.shown === 'text' ? '' : `${column.label.toLowerCase()} ${column.show(hit)}`}</span>
          {#if away.has(hit.symbol)}<span class="ml-auto">dismissed</span>
          {:else if hit.days === 1}<span class="ml-auto text-ember">new</span>{/if}
        </footer>
      </article>
    {/each}
  </div>
</div>
