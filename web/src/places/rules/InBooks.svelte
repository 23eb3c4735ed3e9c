<script lang="ts">
  /** The books that trade this rule, with what each came to last; and a new one in one click. */
  import { books, sentence, type RuleDetail } from '$lib/api'
  import { attempt } from '$lib/mutation'
  import { when } from '$lib/format'
  import { ask, query } from '$lib/queries'
  import { go } from '$lib/router.svelte'
  import Sizes from '$lib/ui/Sizes.svelte'
  import LastRun from '$lib/ui/LastRun.svelte'

  const { rule, dirty }: { rule: RuleDetail; dirty: boolean } = $props()
  const listed = query(() => ask.books())
  const mine = $derived((listed.data ?? []).filter((book) => book.rules.includes(rule.name)))

  async function begin(): Promise<void> {
    await attempt(['books'], async () => go(`/books/${(await books.fromRule(rule.id)).id}`))
  }
</script>

<div class="h-full overflow-auto px-5 py-3">
  <div class="flex flex-wrap items-baseline gap-4">
    <h2 class="font-title text-[19px]">
      {listed.data === undefined
        ? 'Books of this rule'
        : mine.length
          ? `${mine.length} book${mine.length === 1 ? ' trades' : 's trade'} this rule`
          : 'No book trades this rule yet'}
    </h2>
    <button class="act ml-auto" onclick={begin}>Run as a book</button>
  </div>
  <p class="max-w-[75ch] text-[13px] text-ink2">
    A book holds so many positions of a rule at a time, sized, with stops and costs: what an account would
    have done. A new one begins with ten slots, three quarters of a percent at risk each, and a stop that
    follows.
    {dirty ? 'Books trade the saved rule: what is not saved yet is not in them.' : ''}
  </p>
  {#if listed.error}
    <p role="alert" class="mt-3 text-loss">{sentence(listed.error)}</p>
  {/if}
  <ul class="mt-3">
    {#each mine as book (book.id)}
      <li class="border-t border-hair py-2">
        <a
          href="/books/{book.id}"
          class="font-title text-[17px] hover:text-ember"
          onclick={(event) => {
            event.preventDefault()
            go(`/books/${book.id}`)
          }}>{book.name}</a
        >
        <span class="ml-2 text-[13px] text-ink3">v{book.version}, saved {when(book.saved)}</span>
        <LastRun book={book.id} />
      </li>
    {/each}
  </ul>
  <h2 class="mt-5 font-title text-[17px]">What a stop means for the account</h2>
  <Sizes />
</div>
