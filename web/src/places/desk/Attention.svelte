<script lang="ts">
  /** First of all: what happened to positions, and what about the data has to be known; until it is dealt with or dismissed. */
  import { data } from '$lib/api'
  import { attempt, undoable } from '$lib/mutation'
  import { moment, when } from '$lib/format'
  import { bench, type Desk } from '$lib/desk'

  const { desk, link }: { desk: Desk; link: (place: string) => (event: MouseEvent) => void } = $props()
  const ABOUT = ['alerts', 'bench', 'data']

  function dismiss(text: string, work: () => Promise<unknown>, back: () => Promise<unknown>): void {
    void attempt(ABOUT, async () => {
      await work()
      undoable(`Dismissed: ${text}.`, ABOUT, back)
    })
  }
</script>

{#if desk.notices.length || desk.issues.length}
  <section class="border-b border-hair bg-glow px-5 py-2.5" aria-label="Needs attention">
    <h2 class="font-title text-[18px]">Needs attention</h2>
    <ul class="mt-0.5 text-[13.5px]">
      {#each desk.notices as one (one.id)}
        <li class="flex items-baseline gap-4 py-0.5">
          <a
            class="min-w-0 grow hover:underline {one.event === 'near' ? '' : 'font-semibold'} {one.kind ===
              'target' || one.event === 'near'
              ? ''
              : 'text-loss'}"
            href="/bench/{one.stage}/{one.item}"
            onclick={link(`/bench/${one.stage}/${one.item}`)}>{one.text}</a
          >
          <span class="num shrink-0 text-ink2">{moment(one.moment)}</span>
          <button
            class="link shrink-0"
            aria-label="Dismiss: {one.text}"
            onclick={() =>
              dismiss(
                one.text,
                () => bench.dismissNotice(one.id),
                () => bench.restoreNotice(one.id),
              )}>Dismiss</button
          >
        </li>
      {/each}
      {#each desk.issues as one (one.id)}
        <li class="flex items-baseline gap-4 py-0.5">
          <a
            class="min-w-0 grow font-semibold break-words text-loss hover:underline"
            href="/data"
            onclick={link('/data')}>{one.text}</a
          >
          <span class="shrink-0 text-ink2">{when(one.at)}</span>
          {#if one.kind !== 'asked'}
            <button
              class="link shrink-0"
              aria-label="Dismiss: {one.text}"
              onclick={() =>
                dismiss(
                  one.text.slice(0, 60),
                  () => data.dismissIssue(one.id),
                  () => data.restoreIssue(one.id),
                )}>Dismiss</button
            >
          {:else}<a class="link shrink-0" href="/data" onclick={link('/data')}>Answer</a>{/if}
        </li>
      {/each}
    </ul>
  </section>
{/if}
