<script lang="ts">
  import { untrack } from 'svelte'
  import { SvelteSet } from 'svelte/reactivity'
  import { sentence, type Schemas } from '$lib/api'
  import { commandIn } from '$lib/commands'
  import { here, market } from '$lib/market.svelte'
  import { tell } from '$lib/notice.svelte'
  import { choose, preferences } from '$lib/preferences.svelte'
  import { ask, query } from '$lib/queries'
  import ChartPane from '$lib/chart-pane/ChartPane.svelte'
  import type { Counts } from './counts.svelte'
  import Divider from './Divider.svelte'
  import HitsBar, { type Part } from './HitsBar.svelte'
  import HitsTable from './HitsTable.svelte'
  import { shownColumns, ordered } from './hits.svelte'

  interface Props {
    counts: Counts
    name: string
    chosen: string | null
    /** A symbol looked at that need not be among the hits. */
    looked: string | null
    /** The chart alone, over the whole width. */
    full: boolean
    /** The rule as it is kept, for the bench. */
    rule?: Schemas['BenchRule'] | null
  }
  let {
    rule = null,
    counts,
    name,
    chosen = $bindable(),
    looked = $bindable(),
    full = $bindable(),
  }: Props = $props()

  // A chart is never lower than what can be read, its legend and tools included.
  const [LEAST_CHART, BAR] = [370, 45]
  let wanted = $state('')
  let part = $state<Part>('all')
  let comparing = $state(false)
  let bar: ReturnType<typeof HitsBar> | undefined = $state()
  let table: ReturnType<typeof HitsTable> | undefined = $state()
  let tableShare = $state(preferences.now.layout?.table_share ?? 38)
  const selected = new SvelteSet<string>()
  const { scan, counted: text, stale, why } = $derived(counts)

  // What was compared is of one text on one evening.
  const compared = query(() => ({ ...ask.since({ text, as_of: market.asOf }), enabled: comparing }))
  const since = $derived(comparing ? (compared.data ?? null) : null)

  const shown = $derived(shownColumns(scan))
  const fresh = $derived(since ? new Set(since.new) : null)
  const only = $derived(part === 'new' ? fresh : part === 'stayed' && since ? new Set(since.stayed) : null)
  const rows = $derived.by(() => {
    const list = ordered(scan, wanted)
    if (part === 'gone') return []
    return only ? list.filter((hit) => only.has(hit.symbol)) : list
  })
  const at = $derived(rows.findIndex((hit) => hit.symbol === chosen))
  const next = $derived(at >= 0 ? rows.slice(at + 1, at + 3).map((hit) => hit.symbol) : [])

  $effect(() => {
    const list = rows
    const symbol = untrack(() => chosen)
    if (symbol && symbol === untrack(() => looked)) return
    if (list.length && !list.some((hit) => hit.symbol === symbol)) chosen = list[0]!.symbol
    if (!list.length && !untrack(() => wanted) && untrack(() => part) === 'all') chosen = null
  })

  $effect(() => {
    const present = new Set((scan?.hits ?? []).map((hit) => hit.symbol))
    untrack(() => {
      for (const symbol of [...selected]) if (!present.has(symbol)) selected.delete(symbol)
    })
  })

  $effect(() => {
    const error = compared.error
    if (!error || !untrack(() => comparing)) return
    comparing = false
    part = 'all'
    if (!untrack(() => stale)) tell(sentence(error))
  })

  function toggleCompare(): void {
    comparing = !comparing
    if (!comparing) part = 'all'
  }

  function look(symbol: string): void {
    looked = symbol
    chosen = symbol
  }

  function move(by: number): void {
    const to = Math.min(Math.max((at < 0 ? (by > 0 ? -1 : rows.length) : at) + by, 0), rows.length - 1)
    if (!rows[to]) return
    looked = null
    chosen = rows[to].symbol
    table?.reveal(to)
  }

  function keydown(event: KeyboardEvent): void {
    const target = event.target as HTMLElement
    const command = commandIn(event, 'hits')
    if (command === 'hits.next') move(1)
    else if (command === 'hits.before') move(-1)
    else if (command === 'hits.beside' && full) full = false
    else if (command === 'hits.alone' && chosen && !target.closest('button, a, summary')) full = !full
    else if (command === 'hits.select' && chosen && at >= 0) {
      if (selected.has(chosen)) selected.delete(chosen)
      else selected.add(chosen)
    } else if (command === 'hits.compare') toggleCompare()
    else if (command === 'hits.filter') {
      event.preventDefault()
      full = false
      bar?.focusFilter()
    }
  }

  function share(to: number): void {
    tableShare = Math.min(Math.max(to, 15), 80)
    choose({ layout: { ...preferences.now.layout, table_share: Math.round(tableShare) } })
  }
</script>

<svelte:window onkeydown={keydown} />

<div class="flex h-full flex-col overflow-y-auto" class:waits={counts.counting} aria-busy={counts.counting}>
  {#if !scan}
    <p class="max-w-[60ch] p-8 text-ink2">
      {#if !market.now?.sessions.length}
        There are no prices yet, so nothing can be counted. <a
          class="underline underline-offset-3"
          href="/data">Bring some in</a
        >.
      {:else}
        {counts.counting ? 'Counting …' : stale ? `Fix the rule to see its hits. ${why}` : ''}
      {/if}
    </p>
  {:else}
    {#if counts.without.length}
      <p role="status" class="shrink-0 bg-glow px-4 py-0.5 text-[13px]">
        Without {counts.without.length === 1 ? 'the line' : `the ${counts.without.length} lines`} with errors: these
        are the hits of the other lines.
      </p>
    {/if}
    {#if !full}
      <HitsBar
        bind:this={bar}
        {scan}
        {text}
        name={counts.without.length ? `${name}, without the lines that have errors` : name}
        {rows}
        columns={shown}
        {selected}
        {since}
        bind:part
        bind:wanted
        oncompare={toggleCompare}
        onlook={look}
      />
      {#if rows.length}
        <div
          class="shrink-0"
          style:height={`max(88px, min(${tableShare}%, ${rows.length * 27 + 34}px, 100% - ${LEAST_CHART + BAR}px))`}
        >
          <HitsTable
            bind:this={table}
            {rows}
            columns={shown}
            {chosen}
            {selected}
            {fresh}
            onchoose={(symbol) => {
              looked = null
              chosen = symbol
            }}
            onopen={() => (full = true)}
          />
        </div>
      {:else if part !== 'gone'}
        <div class="px-4 py-8 text-ink2">
          {#if wanted || part !== 'all'}
            <p>No hit {wanted ? `is named “${wanted}”` : part === 'new' ? 'is new' : 'has stayed'}.</p>
          {:else}
            <p>No instrument passes every line {here()}.</p>
            <p class="mt-1">
              {#if scan.near_misses.length}Beside the lines you see who nearly passed, and which line each of
                them failed.{/if}
              Step back a session, or measure follow-through to see whether the rule ever hit.
            </p>
          {/if}
        </div>
      {/if}
    {/if}
    {#if chosen}
      {#if !full}
        <Divider
          label="Height of the table"
          orientation="horizontal"
          value={tableShare}
          ondrag={(_, down) => share(down)}
          onnudge={(by) => share(tableShare + by * 4)}
        />
      {/if}
      <div class="flex-1" style:min-height="{LEAST_CHART}px">
        <ChartPane
          symbol={chosen}
          {text}
          ahead={next}
          {full}
          onfull={() => (full = !full)}
          {rule}
          position={full && at >= 0 ? `${at + 1} of ${rows.length}` : ''}
        />
      </div>
    {/if}
  {/if}
</div>
