<script lang="ts">
  import { Popover } from 'bits-ui'
  import type { Scan } from '$lib/api'
  import { market } from '$lib/market.svelte'
  import { tell } from '$lib/notice.svelte'
  import { choose, preferences } from '$lib/preferences.svelte'
  import { columns, labelOf, moveColumn, setTable, table, USUAL } from './hits.svelte'

  const { scan }: { scan: Scan | null } = $props()
  const IDEAS = [
    'range / atr(14)',
    'change(5)',
    'change(21)',
    'change(63)',
    'rsi(14)',
    'avg_turnover(20)',
    'market_cap',
    'beta(252)',
    'days_to_report',
    'squeeze_bars',
    'rank(change(63))',
    'close > sma(200)',
    'kind',
  ]

  let wanted = $state('')
  let name = $state('')
  let added = $state('')
  const shown = $derived(columns(scan))
  const sets = $derived(Object.keys(preferences.now.tables ?? {}).sort())
  const trouble = $derived(shown.find((c) => c.text === added)?.error ?? '')

  function add(event: SubmitEvent): void {
    event.preventDefault()
    const text = wanted.trim()
    if (!text) return
    if (table().columns.some((c) => c.text === text)) tell(`“${text}” is a column already.`)
    else if (table().columns.length >= 24) tell('A table has at most 24 columns; take one out first.')
    else {
      setTable({ columns: [...table().columns, { text, label: '', width: null }] })
      added = text
    }
    wanted = ''
  }

  function remove(at: number): void {
    const before = table().columns
    setTable({ columns: before.filter((_, i) => i !== at) })
    tell(`Column “${labelOf(before[at]!.text, before[at]!.label)}” is taken out.`, {
      label: 'Undo',
      run: () => setTable({ columns: before }),
    })
  }

  function keep(event: SubmitEvent): void {
    event.preventDefault()
    if (!name.trim()) return
    choose({ tables: { ...preferences.now.tables, [name.trim()]: $state.snapshot(table()) } })
    tell(`Columns and order are kept as “${name.trim()}”.`)
    name = ''
  }

  function forget(set: string): void {
    const before = preferences.now.tables ?? {}
    choose({ tables: Object.fromEntries(Object.entries(before).filter(([key]) => key !== set)) })
    tell(`The set “${set}” is deleted.`, { label: 'Undo', run: () => choose({ tables: before }) })
  }

  function key(event: KeyboardEvent, at: number): void {
    const by = event.key === 'ArrowUp' ? -1 : event.key === 'ArrowDown' ? 1 : 0
    if (event.key === 'Delete') remove(at)
    else if (event.altKey && by) moveColumn(at, at + by)
    else return
    event.preventDefault()
  }
</script>

<Popover.Root>
  <Popover.Trigger class="link">Columns</Popover.Trigger>
  <Popover.Portal>
    <Popover.Content align="end" sideOffset={4} class="pop w-[340px]">
      <form class="flex gap-2" onsubmit={add}>
        <input
          class="field min-w-0 flex-1 font-mono"
          placeholder="range / atr(14)"
          aria-label="Add a column: an expression"
          list="column-ideas"
          bind:value={wanted}
        />
        <button class="act">Add</button>
        <datalist id="column-ideas">
          {#each IDEAS as idea (idea)}<option value={idea}></option>{/each}
          {#each market.entries.filter((e) => e.bare) as entry (entry.name)}<option value={entry.name}
            ></option>{/each}
        </datalist>
      </form>
      <p class="text-ink3">
        Any expression of the rule language, the rule’s own names and dials too.
        {#if trouble}<span class="text-loss">{trouble}</span>{/if}
      </p>
      <ol aria-label="Columns shown">
        {#each shown as column, at (column.text)}
          <li class="flex items-center gap-2 border-t border-hair/60 py-0.5">
            <button
              class="min-w-0 flex-1 truncate text-left {column.error ? 'text-loss' : ''}"
              title="{column.title}. Alt ↑ ↓ moves it, Delete takes it out."
              onkeydown={(event) => key(event, at)}
              >{column.label}{#if column.label !== column.text}<code
                  class="ml-2 font-mono text-[12px] text-ink3">{column.text}</code
                >{/if}</button
            >
            <button
              class="link px-1"
              aria-label="{column.label} up"
              disabled={at === 0}
              onclick={() => moveColumn(at, at - 1)}>▴</button
            >
            <button
              class="link px-1"
              aria-label="{column.label} down"
              disabled={at === shown.length - 1}
              onclick={() => moveColumn(at, at + 1)}>▾</button
            >
            <button class="link px-1" aria-label="Take out {column.label}" onclick={() => remove(at)}
              >✕</button
            >
          </li>
        {/each}
      </ol>
      <div class="border-t border-hair pt-2">
        <p class="text-ink2">
          Kept sets:
          {#each sets as set (set)}
            <span class="mr-2 whitespace-nowrap"
              ><button
                class="underline underline-offset-3"
                onclick={() => choose({ table: $state.snapshot(preferences.now.tables![set]!) })}
                >{set}</button
              ><button class="link px-1" aria-label="Delete the set {set}" onclick={() => forget(set)}
                >✕</button
              ></span
            >
          {:else}none yet{/each}
        </p>
        <form class="mt-2 flex gap-2" onsubmit={keep}>
          <input
            class="field min-w-0 flex-1"
            maxlength="60"
            placeholder="Keep these columns as …"
            aria-label="Name of the set"
            bind:value={name}
          />
          <button class="quiet">Keep</button>
        </form>
        <button class="link mt-2" onclick={() => choose({ table: USUAL })}>Back to the usual columns</button>
      </div>
    </Popover.Content>
  </Popover.Portal>
</Popover.Root>
