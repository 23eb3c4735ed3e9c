<script lang="ts">
  import { books, sentence } from '$lib/api'
  import { attempt, undoable } from '$lib/mutation'
  import { day } from '$lib/format'
  import { go } from '$lib/router.svelte'
  import { ask, query } from '$lib/queries'
  import Sizes from '$lib/ui/Sizes.svelte'

  const listed = query(() => ask.books())
  const rules = query(() => ask.rules())
  const all = $derived(listed.data ?? null)
  let wanted = $state('')
  const shown = $derived(
    (all ?? []).filter((book) =>
      `${book.name} ${book.about} ${book.rules.join(' ')}`
        .toLowerCase()
        .includes(wanted.trim().toLowerCase()),
    ),
  )

  function remove(book: { id: number; name: string }): Promise<boolean> {
    return attempt(['books'], async () => {
      await books.remove(book.id)
      undoable(`“${book.name}” is deleted.`, ['books'], () => books.restore(book.id))
    })
  }

  function begin(rule: number): Promise<boolean> {
    return attempt(['books'], async () => go(`/books/${(await books.fromRule(rule)).id}`))
  }
</script>

<section class="h-full overflow-auto">
  <div class="mx-auto max-w-[1100px] px-6 py-5">
    <div class="flex flex-wrap items-baseline gap-x-4 gap-y-2">
      <h1 class="font-title text-[26px]">Books</h1>
      <span class="text-ink3">{all ? all.length : ''}</span>
      <input
        class="field ml-auto w-56"
        type="search"
        placeholder="Find a book"
        aria-label="Find a book"
        bind:value={wanted}
      />
      <label class="flex items-baseline gap-2 text-[13px] text-ink2"
        >New book from rule
        <select
          class="field max-w-[220px]"
          aria-label="The rule a new book trades"
          onchange={(event) => {
            const chosen = Number(event.currentTarget.value)
            event.currentTarget.value = ''
            if (chosen) void begin(chosen)
          }}
        >
          <option value="">choose …</option>
          {#each rules.data ?? [] as rule (rule.id)}<option value={rule.id}>{rule.name}</option>{/each}
        </select>
      </label>
    </div>
    <p class="mt-1 max-w-[80ch] text-[14px] text-ink2">
      A book says which rules are traded, how much of each, when a position ends and what it costs. A run is
      what it would have done, day by day.
    </p>
    {#if listed.error}
      <p role="alert" class="mt-8 text-loss">
        {sentence(listed.error)} <button class="link" onclick={() => listed.refetch()}>Try again</button>
      </p>
    {:else if all === null}
      <p class="mt-8 text-ink2">Loading the books …</p>
    {:else if all.length === 0}
      <p class="mt-8 text-ink2">No books yet. Choose a rule above, and a book that trades it is written.</p>
    {:else if shown.length === 0}
      <p class="mt-8 text-ink2">No book speaks of “{wanted}”.</p>
    {:else}
      <ul class="mt-4">
        {#each shown as book (book.id)}
          <li
            class="group grid grid-cols-1 gap-x-6 border-t border-hair py-2.5 min-[700px]:grid-cols-[1fr_auto]"
          >
            <a
              href="/books/{book.id}"
              class="block"
              onclick={(event) => {
                event.preventDefault()
                go(`/books/${book.id}`)
              }}
            >
              <span class="font-title text-[18px] group-hover:text-ember">{book.name}</span>
              {#if !book.valid}<span class="ml-2 text-[13px] text-loss">has errors</span>{/if}
              <span class="mt-0.5 block max-w-[80ch] text-[14px] text-ink2">{book.about}</span>
              <span class="block text-[13px] text-ink3">
                enters {book.rules.map((name) => `“${name}”`).join(' and ') || 'nothing yet'}{book.universe
                  ? `, in ${book.universe}`
                  : ''}
              </span>
            </a>
            <div class="flex flex-col justify-between text-[13px] text-ink3 min-[700px]:items-end">
              <span>v{book.version} · saved {day(book.saved.slice(0, 10))}</span>
              <span class="flex gap-4">
                <button
                  class="link"
                  onclick={() => attempt(['books'], () => books.duplicate(book.id))}
                  aria-label="Duplicate {book.name}">Duplicate</button
                >
                <button class="link" onclick={() => remove(book)} aria-label="Delete {book.name}"
                  >Delete</button
                >
              </span>
            </div>
          </li>
        {/each}
      </ul>
    {/if}
    <details class="mt-6 border-t border-hair pt-3">
      <summary class="font-title text-[18px]">What a stop means for the account</summary>
      <Sizes />
    </details>
  </div>
</section>
