<script lang="ts">
  import { untrack } from 'svelte'
  import type { Scan } from '$lib/api'
  import { copy, csv, download } from '$lib/csv'
  import { tell } from '$lib/notice.svelte'
  import ChartPane from './ChartPane.svelte'
  import { COLUMNS, order, ordered, sortBy } from './hits.svelte'

  interface Props {
    scan: Scan | null
    text: string
    stale: boolean
    name: string
    chosen: string | null
  }
  let { scan, text, stale, name, chosen = $bindable() }: Props = $props()

  let wanted = $state('')
  let table: HTMLElement | undefined = $state()
  let filterBox: HTMLInputElement | undefined = $state()
  let tableShare = $state(38)

  const rows = $derived(ordered(scan?.hits ?? [], wanted))
  const at = $derived(rows.findIndex((hit) => hit.symbol === chosen))
  const next = $derived(at >= 0 ? rows.slice(at + 1, at + 3).map((hit) => hit.symbol) : [])

  $effect(() => {
    const list = rows
    const symbol = untrack(() => chosen)
    if (list.length && !list.some((hit) => hit.symbol === symbol)) chosen = list[0]!.symbol
    if (!list.length && !untrack(() => wanted)) chosen = null
  })

  function move(by: number): void {
    const to = rows[Math.min(Math.max((at < 0 ? 0 : at) + by, 0), rows.length - 1)]
    if (!to) return
    chosen = to.symbol
    table?.querySelector(`[data-symbol="${CSS.escape(to.symbol)}"]`)?.scrollIntoView({ block: 'nearest' })
  }

  function keydown(event: KeyboardEvent): void {
    const target = event.target as HTMLElement
    if (event.key === 'Escape' && target.closest('input, .cm-editor')) target.blur()
    if (
      target.closest('input, textarea, select, .cm-editor') ||
      event.ctrlKey ||
      event.metaKey ||
      event.altKey
    )
      return
    if (event.key === 'j') move(1)
    else if (event.key === 'k') move(-1)
    else if (event.key === '/') {
      event.preventDefault()
      filterBox?.focus()
    }
  }

  async function copySymbols(): Promise<void> {
    const list = rows.map((hit) => hit.symbol).join(', ')
    tell(
      (await copy(list))
        ? `${rows.length} symbols copied, separated by commas.`
        : 'The browser does not let this page use the clipboard; save the CSV instead.',
    )
  }

  function saveCsv(): void {
    download(
      `${name} ${scan?.as_of ?? ''}.csv`,
      csv(
        COLUMNS.map((c) => c.key),
        rows.map((hit) => COLUMNS.map((c) => c.of(hit))),
      ),
    )
  }

  function drag(event: PointerEvent): void {
    const handle = event.currentTarget as HTMLElement
    const box = handle.parentElement!.getBoundingClientRect()
    handle.setPointerCapture(event.pointerId)
    handle.onpointermove = (moved) => {
      tableShare = Math.min(Math.max(((moved.clientY - box.top) / box.height) * 100, 15), 80)
    }
    handle.onpointerup = () => (handle.onpointermove = null)
  }
</script>

<svelte:window onkeydown={keydown} />

<div class="flex h-full flex-col" class:opacity-60={stale}>
  {#if !scan}
    <p class="p-8 text-ink2">{stale ? 'Mend the rule to see its hits.' : 'Counting …'}</p>
  {:else}
    <div class="flex shrink-0 items-center gap-5 px-4 py-1.5 text-[13px]">
      <input
        bind:this={filterBox}
        class="field w-40 py-0.5"
        type="search"
        placeholder="Filter  /"
        aria-label="Filter the hits"
        bind:value={wanted}
      />
      {#if wanted}<span class="text-ink3">{rows.length} of {scan.hits_total}</span>{/if}
      {#if scan.bars !== 'day'}<span class="text-ink3">{scan.bars} bars, the {scan.bars} so far</span>{/if}
      <span class="ml-auto flex gap-5">
        <button class="link" onclick={copySymbols} disabled={!rows.length}>Copy symbols</button>
        <button class="link" onclick={saveCsv} disabled={!rows.length}>Save CSV</button>
      </span>
    </div>
    <div bind:this={table} class="shrink-0 overflow-auto" style:max-height={`${tableShare}%`}>
      <table class="w-full border-collapse text-[13px]">
        <thead class="sticky top-0 z-[1] bg-paper">
          <tr class="border-b border-hair">
            {#each COLUMNS as column (column.key)}
              <th
                scope="col"
                class="sortable px-1.5 py-1 whitespace-nowrap first:pl-4 last:pr-4 {column.text
                  ? 'text-left'
                  : 'text-right'}"
                aria-sort={order.key === column.key ? (order.down ? 'descending' : 'ascending') : 'none'}
                title={column.title}
              >
                <button onclick={() => sortBy(column.key, column.text)}>
                  {column.label}<span aria-hidden="true"
                    >{order.key === column.key ? (order.down ? ' ▾' : ' ▴') : ''}</span
                  >
                </button>
              </th>
            {/each}
          </tr>
        </thead>
        <tbody>
          {#each rows as hit (hit.symbol)}
            <tr
              data-symbol={hit.symbol}
              aria-selected={hit.symbol === chosen}
              class="cursor-pointer border-b border-hair/60 hover:bg-paper2 {hit.symbol === chosen
                ? 'bg-row'
                : ''}"
              onclick={() => (chosen = hit.symbol)}
            >
              {#each COLUMNS as column (column.key)}
                <td
                  class="px-1.5 py-[3px] first:pl-4 last:pr-4 {column.text
                    ? 'max-w-36 truncate'
                    : 'num'} {column.key === 'symbol'
                    ? 'font-mono font-semibold whitespace-nowrap'
                    : ''} {column.key === 'sector' ? 'text-ink2' : ''}"
                  class:text-gain={column.signed && (Number(column.of(hit)) || 0) > 0}
                  class:text-loss={column.signed && (Number(column.of(hit)) || 0) < 0}
                >
                  {#if column.key === 'symbol'}
                    <span
                      class="mr-1.5 inline-block w-2.5 text-[10px] text-ember"
                      title={hit.days === 1 ? 'fresh: not a hit the bar before' : undefined}
                      >{hit.days === 1 ? '▲' : ''}</span
                    >{/if}{column.show(hit)}
                </td>
              {/each}
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
    {#if rows.length === 0}
      <div class="px-4 py-8 text-ink2">
        {#if wanted}
          <p>No hit is named “{wanted}”.</p>
        {:else}
          <p>No instrument passes every line on this evening.</p>
          <p class="mt-1">
            {#if scan.near_misses.length}Beside the lines you see who nearly passed, and which line each of
              them failed.{/if}
            Step back a session, or measure follow-through to see whether the rule ever hit.
          </p>
        {/if}
      </div>
    {/if}
    {#if chosen}
      <!-- svelte-ignore a11y_no_static_element_interactions -->
      <div
        class="h-[5px] shrink-0 cursor-row-resize border-b border-hair hover:border-ember"
        onpointerdown={drag}
      ></div>
      <div class="min-h-0 flex-1">
        <ChartPane symbol={chosen} {text} ahead={next} />
      </div>
    {/if}
  {/if}
</div>
