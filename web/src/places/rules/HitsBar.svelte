<script lang="ts">
  import { DropdownMenu } from 'bits-ui'
  import type { SvelteSet } from 'svelte/reactivity'
  import { api, sentence, type Hit, type Scan, type Since } from '$lib/api'
  import { once } from '$lib/mutation'
  import { keepList } from '$lib/lists'
  import { copy, csv, download } from '$lib/csv'
  import { day } from '$lib/format'
  import { market } from '$lib/market.svelte'
  import { tell } from '$lib/notice.svelte'
  import ColumnsPane from './ColumnsPane.svelte'
  import { expressions, type Column } from './hits.svelte'

  export type Part = 'all' | 'new' | 'stayed' | 'gone'
  interface Props {
    scan: Scan
    text: string
    name: string
    rows: Hit[]
    columns: Column[]
    selected: SvelteSet<string>
    since: Since | null
    part: Part
    wanted: string
    oncompare: () => void
    onlook: (symbol: string) => void
  }
  let {
    scan,
    text,
    name,
    rows,
    columns,
    selected,
    since,
    part = $bindable(),
    wanted = $bindable(),
    oncompare,
    onlook,
  }: Props = $props()

  let box: HTMLInputElement | undefined = $state()
  let naming = $state(false)
  let listName = $state('')
  const taken = $derived(selected.size ? rows.filter((hit) => selected.has(hit.symbol)) : rows)
  const what = $derived(selected.size ? `${taken.length} selected` : `${rows.length}`)

  export function focusFilter(): void {
    box?.focus()
  }

  async function copySymbols(joined: string, how: string): Promise<void> {
    const done = await copy(taken.map((hit) => hit.symbol).join(joined))
    tell(
      done
        ? `${taken.length} symbols copied, ${how}.`
        : 'The browser does not let this page use the clipboard; save the CSV instead.',
    )
  }

  function saveCsv(): void {
    const body = taken.map((hit) =>
      columns.map((c) => (c.text === 'days' && hit.longer ? c.show(hit) : c.of(hit))),
    )
    download(
      `${name} ${scan.as_of}.csv`,
      csv(
        columns.map((c) => c.label),
        body,
      ),
    )
  }

  async function saveParquet(): Promise<void> {
    try {
      const content = await api.hitsAsParquet({
        text,
        as_of: market.asOf,
        columns: expressions(),
        symbols: taken.map((hit) => hit.symbol),
      })
      download(`${name} ${scan.as_of}.parquet`, content)
    } catch (error) {
      tell(sentence(error))
    }
  }

  const keep = once(() =>
    keepList(
      listName,
      taken.map((hit) => hit.symbol),
      () => (naming = false),
    ),
  )
</script>

<div class="flex shrink-0 flex-wrap items-center gap-x-5 gap-y-1 px-4 py-1.5 text-[13px]">
  <input
    bind:this={box}
    class="field w-36 py-0.5"
    type="search"
    placeholder="Filter  /"
    aria-label="Filter the hits"
    bind:value={wanted}
    onkeydown={(event) => {
      if (event.key !== 'Escape' || !wanted) return
      event.preventDefault() // once to empty it, once more to leave it
      wanted = ''
    }}
  />
  {#if wanted || part !== 'all'}<span class="text-ink3">{rows.length} of {scan.hits_total}</span>{/if}
  {#if selected.size}<span class="text-ember"
      >{selected.size} selected <button class="link" onclick={() => selected.clear()}>clear</button></span
    >{/if}
  {#if scan.partial}<span class="text-ink3">the {scan.bars} so far</span>{:else if scan.bars !== 'day'}<span
      class="text-ink3">{scan.bars} bars</span
    >{/if}
  <span class="ml-auto flex gap-5">
    <button class="link" aria-pressed={since !== null} onclick={oncompare}
      >{since ? 'Compared' : 'Compare'}</button
    >
    <ColumnsPane {scan} {text} />
    <DropdownMenu.Root>
      <DropdownMenu.Trigger class="link" disabled={!rows.length}>Copy</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content preventScroll={false} align="end" class="menu">
          <DropdownMenu.Item onSelect={() => copySymbols(', ', 'separated by commas')}
            >{what} symbols, comma-separated</DropdownMenu.Item
          >
          <DropdownMenu.Item onSelect={() => copySymbols('\n', 'one a line')}
            >{what} symbols, one a line</DropdownMenu.Item
          >
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
    <DropdownMenu.Root>
      <DropdownMenu.Trigger class="link" disabled={!rows.length}>Save as</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content preventScroll={false} align="end" class="menu">
          <DropdownMenu.Item onSelect={saveCsv}>{what} as CSV</DropdownMenu.Item>
          <DropdownMenu.Item onSelect={saveParquet}>{what} as Parquet</DropdownMenu.Item>
          <DropdownMenu.Item
            onSelect={() => {
              listName = `${name} ${scan.as_of}`.replace(/["#:]/g, '').slice(0, 80)
              naming = true
            }}>{what} as a list …</DropdownMenu.Item
          >
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  </span>
</div>
{#if naming}
  <form class="flex shrink-0 items-center gap-3 bg-paper2 px-4 py-1.5 text-[13px]" onsubmit={keep}>
    <label class="flex flex-1 items-center gap-2"
      >Keep {what} as the list
      <!-- svelte-ignore a11y_autofocus -->
      <input class="field min-w-0 flex-1" maxlength="80" autofocus bind:value={listName} /></label
    >
    <button class="act">Keep</button>
    <button type="button" class="link" onclick={() => (naming = false)}>Cancel</button>
  </form>
{/if}
{#if since}
  <div class="flex shrink-0 flex-wrap items-baseline gap-x-4 bg-paper2 px-4 py-1 text-[13px]">
    <span class="text-ink2">since {day(since.before)}:</span>
    {#each [['all', 'all', scan.hits_total], ['new', 'new', since.new.length], ['stayed', 'stayed', since.stayed.length], ['gone', 'gone', since.gone.length]] as const as [key, label, count] (key)}
      <button
        class={part === key ? 'font-semibold underline underline-offset-3' : 'link'}
        aria-pressed={part === key}
        onclick={() => (part = key)}>{count} {label}</button
      >
    {/each}
    {#if part === 'gone'}
      <span class="basis-full font-mono text-[12.5px]">
        {#each since.gone as gone (gone.symbol)}<button
            class="mr-3 hover:underline"
            title={gone.name}
            onclick={() => onlook(gone.symbol)}>{gone.symbol}</button
          >{:else}<span class="text-ink3">None has left the list.</span>{/each}
      </span>
    {/if}
  </div>
{/if}
