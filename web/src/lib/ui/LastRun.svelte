<script lang="ts">
  /** What a book came to when it was run last. */
  import { day } from '$lib/format'
  import { ask, query } from '$lib/queries'

  const { book }: { book: number } = $props()
  const runs = query(() => ask.bookRuns(book))
  const last = $derived((runs.data ?? []).find((run) => run.state === 'done'))
</script>

{#if last}
  <p class="text-[14px]">{last.headline}</p>
  <p class="text-[12.5px] text-ink3">
    {last.version ? `version ${last.version}` : 'a text that is not saved'}, up to {day(
      String(last.settings.as_of),
    )}
  </p>
{:else if runs.data}
  <p class="text-[13px] text-ink3">Not run yet.</p>
{/if}
