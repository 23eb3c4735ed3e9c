<script lang="ts">
  /** One box for everything: instruments, rules, books, lists, breadths, places, names of the language, and what can be done. */
  import { Command, Dialog } from 'bits-ui'
  import { sentence } from '$lib/api'
  import { setAlert } from '$lib/alerting'
  import { ask, keepPrevious, query } from '$lib/queries'
  import { go } from '$lib/router.svelte'
  import { PLACES } from './places'
  import { acts, near, recent, remember, type Item } from './finding'

  let { open = $bindable() }: { open: boolean } = $props()
  let wanted = $state('')
  const asked = $derived(wanted.trim())
  const answer = query(() => ({ ...ask.find(asked), ...keepPrevious, enabled: open && asked !== '' }))
  const waiting = $derived(asked !== '' && (answer.isFetching || answer.isPlaceholderData))
  const places = PLACES.filter((place) => place.strip).map((place): Item => ({
    kind: 'place',
    name: place.title,
    more: place.help ?? '',
    place: place.address,
  }))
  const items = $derived<Item[]>(
    asked === ''
      ? [...recent(), ...places]
      : [...acts(asked), ...places.filter((place) => near(asked, place.name)), ...(answer.data ?? [])],
  )

  async function pick(item: Item): Promise<void> {
    open = false
    wanted = ''
    if (item.act) {
      await setAlert(item.act)
      return
    }
    remember(item)
    go(item.place)
  }
</script>

<Dialog.Root bind:open>
  <Dialog.Portal>
    <Dialog.Overlay class="fixed inset-0 z-40 bg-ink/20" />
    <Dialog.Content
      preventScroll={false}
      class="fixed top-[12vh] left-1/2 z-50 w-[min(620px,94vw)] -translate-x-1/2 border border-hair bg-paper"
      aria-label="Find anything"
    >
      <Dialog.Title class="sr-only">Find anything</Dialog.Title>
      <Command.Root shouldFilter={false} loop>
        <Command.Input
          class="w-full border-b border-hair bg-transparent px-4 py-3 text-[16px] focus:outline-none"
          placeholder="an instrument, a rule, a place; or “tell me when SYMBOL trades at 56”"
          aria-label="Find anything"
          bind:value={wanted}
        />
        <Command.List class="max-h-[56vh] overflow-auto py-1" aria-busy={waiting}>
          {#if asked !== '' && !items.length && !waiting}
            <p class="px-4 py-3 text-ink2">
              {answer.error ? sentence(answer.error) : `Nothing is called anything like “${asked}”.`}
            </p>
          {/if}
          {#each items as item (`${item.kind} ${item.name} ${item.place}`)}
            <Command.Item
              value="{item.kind} {item.name} {item.place}"
              class="flex cursor-pointer items-baseline gap-3 px-4 py-1.5 data-selected:bg-row"
              onSelect={() => void pick(item)}
            >
              <span
                class="shrink-0 {item.kind === 'instrument' || item.kind === 'word'
                  ? 'font-mono'
                  : 'font-semibold'}">{item.name}</span
              >
              <span class="min-w-0 flex-1 truncate text-[13px] text-ink2">{item.more}</span>
              <span class="text-[12px] text-ink3">{item.kind}</span>
            </Command.Item>
          {/each}
        </Command.List>
      </Command.Root>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
