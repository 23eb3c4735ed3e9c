<script lang="ts">
  import { Popover } from 'bits-ui'
  import { api, type BenchList } from '$lib/api'
  import { attempt, once, undoable } from '$lib/mutation'
  import { keepList } from '$lib/lists'
  import { copy } from '$lib/csv'
  import { whole } from '$lib/format'
  import { market } from '$lib/market.svelte'
  import { tell } from '$lib/notice.svelte'
  import { readUniverse, writeUniverse, type Join, type UniversePart } from '$lib/rule/universe'

  interface Props {
    value: string
    onchange: (value: string) => void
  }
  const { value, onchange }: Props = $props()
  const SAID: Record<Join, string> = { and: 'and also in', or: 'or in', without: 'but not in' }

  const indices = $derived(market.now?.universes ?? [])
  const known = $derived([...indices, ...market.lists.map((list) => list.name)])
  const parts = $derived(readUniverse(value, known))
  const strange = $derived(parts.some((part) => !known.includes(part.name)))
  let pasted = $state('')
  let pastedName = $state('')

  function set(next: UniversePart[]): void {
    onchange(writeUniverse(next))
  }

  function put(at: number, change: Partial<UniversePart>): void {
    set(parts.map((part, i) => (i === at ? { ...part, ...change } : part)))
  }

  async function remove(list: BenchList): Promise<void> {
    await attempt(['lists', 'bars'], async () => {
      await api.removeList(list.id)
      undoable(`The list “${list.name}” is deleted.`, ['lists', 'bars'], () => api.restoreList(list.id))
    })
  }

  const keep = once(() =>
    keepList(pastedName, pasted.split(/[\s,;]+/).filter(Boolean), () => (pasted = pastedName = '')),
  )

  async function take(list: BenchList): Promise<void> {
    const done = await copy(list.symbols.join(', '))
    tell(
      done
        ? `${list.symbols.length} symbols copied.`
        : 'The browser does not let this page use the clipboard.',
    )
  }
</script>

{#snippet names(at: number, now: string, none: string)}
  <select
    class="field min-w-0 flex-1 py-0.5"
    aria-label={at ? `Universe ${at + 1}` : 'Universe'}
    value={now}
    onchange={(event) => {
      const name = event.currentTarget.value
      if (!name) set(at ? parts.filter((_, i) => i !== at) : [])
      else if (!parts.length) set([{ join: '', name }])
      else put(at, { name })
    }}
  >
    <option value="">{none}</option>
    <optgroup label="indices, members of that day">
      {#each indices as name (name)}<option value={name}>{name}</option>{/each}
    </optgroup>
    {#if market.lists.length}<optgroup label="lists">
        {#each market.lists as list (list.id)}<option value={list.name}>{list.name}</option>{/each}
      </optgroup>{/if}
    {#if now && !known.includes(now)}<option value={now}>{now} (not known)</option>{/if}
  </select>
{/snippet}

<Popover.Root>
  <Popover.Trigger
    class="inline-pick max-w-52 truncate align-bottom font-semibold {strange ? 'text-loss' : 'text-ink'}"
    aria-label="Universe: {value || 'all instruments'}">{value || 'all instruments'}</Popover.Trigger
  >
  <Popover.Portal>
    <Popover.Content align="start" sideOffset={4} class="pop w-[380px]">
      <div class="flex items-center gap-2">
        <span class="w-24 text-ink2">instruments in</span>
        {@render names(0, parts[0]?.name ?? '', 'all instruments')}
      </div>
      {#each parts.slice(1) as part, i (i)}
        <div class="flex items-center gap-2">
          <select
            class="field w-24 py-0.5"
            aria-label="How universe {i + 2} joins"
            value={part.join}
            onchange={(event) => put(i + 1, { join: event.currentTarget.value as Join })}
          >
            {#each Object.entries(SAID) as [join, said] (join)}<option value={join}>{said}</option>{/each}
          </select>
          {@render names(i + 1, part.name, 'take this out')}
        </div>
      {/each}
      {#if parts.length && parts.length < 6}
        <p class="flex gap-3 pl-26 text-ink2">
          {#each Object.entries(SAID) as [join, said] (join)}
            <button
              class="underline underline-offset-3"
              onclick={() =>
                set([
                  ...parts,
                  {
                    join: join as Join,
                    name: known.find((name) => !parts.some((part) => part.name === name)) ?? known[0] ?? '',
                  },
                ])}>{said} …</button
            >
          {/each}
        </p>
      {/if}
      <p class="text-ink3">
        An index means its members of that day, delisted names included. A list is the same on every day: what
        is measured over it knows who was chosen later.
      </p>
      {#if market.lists.length}
        <ul class="border-t border-hair pt-1" aria-label="Lists">
          {#each market.lists as list (list.id)}
            <li class="flex items-center gap-3">
              <span class="min-w-0 flex-1 truncate">{list.name}</span>
              <span class="num text-ink3">{whole(list.symbols.length)}</span>
              <button class="link" aria-label="Copy the symbols of {list.name}" onclick={() => take(list)}
                >copy</button
              >
              <button class="link" aria-label="Delete the list {list.name}" onclick={() => remove(list)}
                >✕</button
              >
            </li>
          {/each}
        </ul>
      {/if}
      <details class="border-t border-hair pt-1">
        <summary class="text-ink2">A list from symbols</summary>
        <form class="mt-1 flex flex-col gap-2" onsubmit={keep}>
          <textarea
            class="field font-mono"
            rows="2"
            aria-label="Symbols, separated by commas or lines"
            placeholder="symbols, separated by commas or lines"
            bind:value={pasted}
          ></textarea>
          <span class="flex gap-2">
            <input
              class="field min-w-0 flex-1"
              maxlength="80"
              aria-label="Name of the list"
              placeholder="name of the list"
              bind:value={pastedName}
            />
            <button class="quiet">Keep</button>
          </span>
        </form>
      </details>
    </Popover.Content>
  </Popover.Portal>
</Popover.Root>
