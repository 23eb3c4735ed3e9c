<script lang="ts">
  /** What of a position wants to be dealt with. */
  import { attempt, undoable } from '$lib/mutation'
  import { moment } from '$lib/format'
  import { bench, type Notice } from '$lib/desk'

  const { notices }: { notices: Notice[] } = $props()

  function dismiss(one: Notice): void {
    void attempt(['bench', 'alerts'], async () => {
      await bench.dismissNotice(one.id)
      undoable(`Dismissed: ${one.text}.`, ['bench', 'alerts'], () => bench.restoreNotice(one.id))
    })
  }
</script>

{#each notices as one (one.id)}
  <p class="flex items-baseline gap-3 bg-glow px-2" role="status">
    <span
      class="grow {one.event === 'near' ? '' : 'font-semibold'} {one.kind === 'target' || one.event === 'near'
        ? ''
        : 'text-loss'}">{one.text}</span
    >
    <span class="num text-ink2">{moment(one.moment)}</span>
    <button class="link" aria-label="Dismiss: {one.text}" onclick={() => dismiss(one)}>Dismiss</button>
  </p>
{/each}
