<script lang="ts">
  import { untrack } from 'svelte'
  import type { SvelteSet } from 'svelte/reactivity'
  import { createVirtualizer } from '@tanstack/svelte-virtual'
  import type { Hit } from '$lib/api'
  import { moveColumn, setWidth, sortBy, table, type Column } from './hits.svelte'

  interface Props {
    rows: Hit[]
    columns: Column[]
    chosen: string | null
    selected: SvelteSet<string>
    /** Symbols that were no hits the session before. */
    fresh: Set<string> | null
    onchoose: (symbol: string) => void
    onopen: (symbol: string) => void
  }
  const { rows, columns, chosen, selected, fresh, onchoose, onopen }: Props = $props()
  const ROW = 27

  let scroller: HTMLDivElement | undefined = $state()
  let dragged = $state<number | null>(null)
  let over = $state<number | null>(null)
  let anchor: string | null = null

  const virtual = createVirtualizer<HTMLDivElement, HTMLTableRowElement>({
    count: 0,
    getScrollElement: () => scroller ?? null,
    estimateSize: () => ROW,
    overscan: 12,
  })
  $effect(() => {
    const count = rows.length
    if (scroller) untrack(() => $virtual.setOptions({ count, getScrollElement: () => scroller ?? null }))
  })
  const items = $derived($virtual.getVirtualItems().filter((item) => item.index < rows.length))
  const before = $derived(items[0]?.start ?? 0)
  const after = $derived(Math.max(0, rows.length * ROW - (items.at(-1)?.end ?? 0)))
  const all = $derived(rows.length > 0 && rows.every((hit) => selected.has(hit.symbol)))
  const least = $derived(26 + columns.reduce((sum, c) => sum + (c.width ?? 100), 0))

  /** Brings a row into view. */
  export function reveal(index: number): void {
    $virtual.scrollToIndex(index, { align: 'auto' })
  }

  function toggle(symbol: string): void {
    if (selected.has(symbol)) selected.delete(symbol)
    else selected.add(symbol)
    anchor = symbol
  }

  function click(event: MouseEvent, hit: Hit): void {
    if (event.ctrlKey || event.metaKey) toggle(hit.symbol)
    else if (event.shiftKey) {
      const from = rows.findIndex((row) => row.symbol === (anchor ?? chosen))
      const to = rows.indexOf(hit)
      for (const row of rows.slice(Math.min(from, to), Math.max(from, to) + 1)) selected.add(row.symbol)
    } else {
      anchor = hit.symbol
      onchoose(hit.symbol)
    }
  }

  function mark(column: Column): string {
    const sort = table().sort ?? []
    const at = sort.findIndex((s) => s.text === column.text)
    if (at < 0) return ''
    return ` ${sort[at]!.down ? '▾' : '▴'}${sort.length > 1 ? at + 1 : ''}`
  }

  function sorted(column: Column): 'ascending' | 'descending' | 'none' {
    const first = (table().sort ?? [])[0]
    return first?.text !== column.text ? 'none' : first.down ? 'descending' : 'ascending'
  }

  function headKey(event: KeyboardEvent, at: number): void {
    const by = event.key === 'ArrowLeft' ? -1 : event.key === 'ArrowRight' ? 1 : 0
    if (!event.altKey || !by) return
    event.preventDefault()
    if (event.shiftKey) setWidth(at, widthOf(at) + 10 * by)
    else {
      moveColumn(at, at + by)
      const to = Math.min(Math.max(at + by, 0), columns.length - 1)
      requestAnimationFrame(() =>
        scroller?.querySelectorAll<HTMLElement>('th button[data-column]')[to]?.focus(),
      )
    }
  }

  function widthOf(at: number): number {
    const cell = scroller?.querySelectorAll<HTMLElement>('th[data-head]')[at]
    return cell?.offsetWidth ?? columns[at]?.width ?? 80
  }

  function resize(event: PointerEvent, at: number): void {
    event.stopPropagation()
    event.preventDefault()
    const handle = event.currentTarget as HTMLElement
    const [from, width] = [event.clientX, widthOf(at)]
    handle.setPointerCapture(event.pointerId)
    handle.onpointermove = (move) => setWidth(at, width + move.clientX - from)
    handle.onpointerup = () => (handle.onpointermove = null)
  }
</script>

<div
  bind:this={scroller}
  class="h-full overflow-auto outline-offset-[-2px]"
  data-hits
  role="region"
  aria-label="Table of hits"
>
  <table class="w-full table-fixed border-collapse text-[13px]" style:min-width="{least}px">
    <colgroup>
      <col style:width="26px" />
      {#each columns as column, c (c)}<col
          style:width={column.width === null ? 'auto' : `${column.width}px`}
        />{/each}
    </colgroup>
    <thead class="sticky top-0 z-[1] bg-paper">
      <tr class="border-b border-hair">
        <th scope="col" class="pl-3">
          <input
            type="checkbox"
            class="tick"
            aria-label="Select all hits shown"
            checked={all}
            indeterminate={selected.size > 0 && !all}
            onchange={() => (all ? selected.clear() : rows.forEach((hit) => selected.add(hit.symbol)))}
          />
        </th>
        {#each columns as column, at (at)}
          <th
            scope="col"
            data-head
            class="group relative px-1.5 py-1 whitespace-nowrap last:pr-4 {column.shown === 'text'
              ? 'text-left'
              : 'text-right'} {over === at && dragged !== null ? 'bg-glow' : ''}"
            aria-sort={sorted(column)}
            title={column.title}
            draggable="true"
            ondragstart={(event) => {
              dragged = at
              event.dataTransfer?.setData('text/plain', column.text)
            }}
            ondragover={(event) => {
              event.preventDefault()
              over = at
            }}
            ondragend={() => (dragged = over = null)}
            ondrop={(event) => {
              event.preventDefault()
              if (dragged !== null) moveColumn(dragged, at)
              dragged = over = null
            }}
          >
            <button
              data-column
              class="sortable max-w-full truncate {column.error
                ? 'text-loss'
                : 'font-normal text-ink2'} {mark(column) ? '!text-ink font-semibold' : ''}"
              onclick={(event) => sortBy(column, event.shiftKey)}
              onkeydown={(event) => headKey(event, at)}
              >{column.label}<span aria-hidden="true">{mark(column)}</span></button
            >
            <!-- svelte-ignore a11y_no_static_element_interactions -->
            <span
              class="absolute inset-y-1 right-0 w-[5px] cursor-col-resize border-r border-transparent group-hover:border-hair"
              title="Drag to set the width"
              draggable="true"
              ondragstart={(event) => event.preventDefault()}
              onpointerdown={(event) => resize(event, at)}
            ></span>
          </th>
        {/each}
      </tr>
    </thead>
    <tbody>
      {#if before}<tr aria-hidden="true"><td colspan={columns.length + 1} style:height="{before}px"></td></tr
        >{/if}
      {#each items as item (rows[item.index]!.symbol)}
        {@const hit = rows[item.index]!}
        <tr
          data-symbol={hit.symbol}
          aria-selected={hit.symbol === chosen}
          aria-rowindex={item.index + 2}
          class="cursor-pointer border-b border-hair/60 hover:bg-paper2 {hit.symbol === chosen
            ? 'bg-row'
            : ''}"
          style:height="{ROW}px"
          onclick={(event) => click(event, hit)}
          ondblclick={() => onopen(hit.symbol)}
        >
          <td class="pl-3">
            <input
              type="checkbox"
              class="tick"
              tabindex="-1"
              aria-label="Select {hit.symbol}"
              checked={selected.has(hit.symbol)}
              onclick={(event) => event.stopPropagation()}
              onchange={() => toggle(hit.symbol)}
            />
          </td>
          {#each columns as column, c (c)}
            {@const value = column.of(hit)}
            <td
              class="truncate px-1.5 last:pr-4 {column.shown === 'text' ? '' : 'num'} {column.text ===
              'symbol'
                ? 'font-mono font-semibold'
                : ''} {column.text === 'sector' ? 'text-ink2' : ''}"
              class:text-gain={column.shown === 'percent' && Number(value) > 0 && column.show(hit)[0] === '+'}
              class:text-loss={column.shown === 'percent' && Number(value) < 0}
              title={column.shown === 'text' ? String(value ?? '') : undefined}
            >
              {#if column.text === 'symbol'}<span
                  class="mr-1 inline-block w-2.5 text-[10px] text-ember"
                  title={(fresh?.has(hit.symbol) ?? hit.days === 1)
                    ? 'fresh: not a hit the bar before'
                    : undefined}>{(fresh?.has(hit.symbol) ?? hit.days === 1) ? '▲' : ''}</span
                >{/if}{column.show(hit)}
            </td>
          {/each}
        </tr>
      {/each}
      {#if after}<tr aria-hidden="true"><td colspan={columns.length + 1} style:height="{after}px"></td></tr
        >{/if}
    </tbody>
  </table>
</div>
