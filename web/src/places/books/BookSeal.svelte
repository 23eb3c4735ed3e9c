<script lang="ts">
  /** The sealed days of a book, and how many settings of it were run. */
  import { books, sentence } from '$lib/api'
  import { day, fixed, percent, whole } from '$lib/format'
  import { tell } from '$lib/notice.svelte'
  import { ask, client, query } from '$lib/queries'
  import BreakSeal from '$lib/ui/BreakSeal.svelte'

  interface Props {
    book: number
    version: number
    busy: boolean
    onbroken: () => void
  }
  const { book, version, busy, onbroken }: Props = $props()
  const answer = query(() => ask.bookSeal(book))
  const tried = query(() => ask.bookTries(book))
  const seal = $derived(answer.data)
  let open = $state(false)

  async function breakIt(): Promise<void> {
    try {
      client.setQueryData(ask.bookSeal(book).queryKey, await books.breakSeal(book))
      open = false
      onbroken()
    } catch (error) {
      tell(sentence(error))
    }
  }
</script>

<div class="border-t border-hair px-4 py-2 text-[13px] text-ink2">
  {#if seal?.sealed_from}
    <p>
      {#if seal.broken}
        Seal broken on {day(seal.broken)} at version {seal.version}: what was changed since has seen every
        day.
      {:else}
        <b class="font-semibold text-ink">Sealed</b> from {day(seal.sealed_from)}.
        <BreakSeal of="book" disabled={busy} bind:open onbreak={breakIt}>
          From {day(seal.sealed_from)} on nothing has been traded, so these days can still tell whether the book
          works or was only fitted to what came before. They can do so once. The date and version {version} are
          kept with the book.
        </BreakSeal>
      {/if}
    </p>
  {/if}
  {#if tried.data && tried.data.tried > 0}
    <p
      title="What the best of so many settings without any skill is expected to show, by the spread of their Sharpe ratios"
    >
      {whole(tried.data.tried)}
      {tried.data.tried === 1 ? 'setting' : 'settings'} run.
      {#if tried.data.luck_annual !== null && tried.data.luck_sharpe !== null}
        Best of {whole(tried.data.judged)} by luck alone: {percent(tried.data.luck_annual, 1, false)} a year, a
        Sharpe ratio of {fixed(tried.data.luck_sharpe)}.
      {/if}
    </p>
  {/if}
</div>
