<script lang="ts">
  /** What about the data has to be known: until it is put away, or mended. */
  import { data, type DataThere } from '$lib/api'
  import { attempt, undoable } from '$lib/mutation'
  import { when } from '$lib/format'

  const { issues }: { issues: DataThere['issues'] } = $props()

  function dismiss(id: number): void {
    void attempt(['data', 'alerts'], async () => {
      await data.dismissIssue(id)
      undoable('Dismissed.', ['data', 'alerts'], () => data.restoreIssue(id))
    })
  }
</script>

{#if issues.length}
  <section class="mt-5 border-l-2 border-loss pl-4" aria-label="Needs attention">
    <h2 class="font-title text-[19px]">Needs attention</h2>
    <ul class="mt-1 text-[13px]">
      {#each issues as issue (issue.id)}
        <li class="flex items-baseline gap-4 py-1">
          <span class="shrink-0 text-ink3">{when(issue.at)}</span>
          <span class="min-w-0 grow break-words text-loss">{issue.text}</span>
          {#if issue.kind !== 'asked'}
            <button class="link shrink-0" onclick={() => dismiss(issue.id)}>Dismiss</button>
          {/if}
        </li>
      {/each}
    </ul>
  </section>
{/if}
