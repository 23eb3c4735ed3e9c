<script lang="ts">
  import { MOST_COLUMNS } from '$lib/constants'
  import { Popover } from 'bits-ui'
  import { sentence, type Scan } from '$lib/api'
  import { market } from '$lib/market.svelte'
  import { tell } from '$lib/notice.svelte'
  import { choose, preferences } from '$lib/preferences.svelte'
  import { ask, client } from '$lib/queries'
  import {
    columns,
    expressions,
    hasOwn,
    isOwn,
    keepOwn,
    labelOf,
    makeUsual,
    moveColumn,
    setTable,
    table,
  } from './hits.svelte'

  interface Props {
    scan: Scan | null
    /** The text whose hits are shown: a column is read with its names. */
    text: string
  }
  const { scan, text }: Props = $props()
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
  let trouble = $state('')
  let checking = $state(false)
  const shown = $derived(columns(scan))
  const sets = $derived(Object.keys(preferences.now.tables ?? {}).sort())

  /** What is wrong with an expression as a column of this rule; "" where nothing is. */
  async function wrongWith(column: string): Promise<string> {
    const asked = {
      text,
      as_of: market.asOf,
      columns: [...new Set([...expressions(), column])].slice(0, MOST_COLUMNS),
    }
    try {
      const { scan: found } = await client.fetchQuery(ask.scan(asked))
      return found.columns.find((c) => c.text === column)?.error ?? ''
    } catch (error) {
      return sentence(error)
    }
  }

  async function add(event: SubmitEvent): Promise<void> {
    event.preventDefault()
    const column = wanted.trim()
    trouble = ''
    if (!column || checking) return
    if (table().columns.some((c) => c.text === column)) trouble = `“${column}” is a column already.`
    else if (table().columns.length >= MOST_COLUMNS)
      trouble = `A table has at most ${MOST_COLUMNS} columns; take one out first.`
    else if (!isOwn(column)) {
      checking = true
      trouble = await wrongWith(column)
      checking = false
    }
    if (trouble) return
    setTable({ columns: [...table().columns, { text: column, label: '', width: null }] })
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
    const before = preferences.now.tables ?? {}
    const there = name.trim() in before
    choose({ tables: { ...before, [name.trim()]: $state.snapshot(table()) } })
    tell(
      `Columns and order are kept as “${name.trim()}”${there ? ', in place of those before' : ''}.`,
      there ? { label: 'Undo', run: () => choose({ tables: before }) } : undefined,
    )
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
        <button class="act" disabled={checking}>Add</button>
        <datalist id="column-ideas">
          {#each IDEAS as idea (idea)}<option value={idea}></option>{/each}
          {#each market.entries.filter((e) => e.bare) as entry (entry.name)}<option value={entry.name}
            ></option>{/each}
        </datalist>
      </form>
      <p class="text-ink3">
        Any expression of the rule language, the rule’s own names and dials too.
        {#if trouble}<span role="alert" class="text-loss">{trouble}</span>{/if}
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
                onclick={() => keepOwn($state.snapshot(preferences.now.tables![set]!))}>{set}</button
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
        <p class="mt-2 flex flex-wrap gap-x-4">
          {#if hasOwn()}
            <button class="link" title="For all rules without columns of their own" onclick={makeUsual}
              >Make these my usual columns</button
            >
            <button class="link" onclick={() => keepOwn(null)}>Back to my usual columns</button>
          {:else}
            <span class="text-ink3">These are your usual columns; a change is this rule’s own.</span>
            {#if preferences.now.table}
              <button class="link" onclick={() => choose({ table: null })}>Back to the first set</button>
            {/if}
          {/if}
        </p>
      </div>
    </Popover.Content>
  </Popover.Portal>
</Popover.Root>
