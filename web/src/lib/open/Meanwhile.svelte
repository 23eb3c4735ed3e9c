<script lang="ts">
  /** The text was saved elsewhere while something else was written here: both are offered, and neither is lost. */
  import { diffLines } from 'diff'
  import { when } from '$lib/format'
  import type { Saved } from './open.svelte'

  interface Props {
    open: {
      readonly kind: { readonly what: string }
      readonly text: string
      readonly theirs: Saved | null
      saveOver: () => Promise<void>
      takeTheirs: () => void
      keepBoth: () => Promise<void>
    }
  }
  const { open }: Props = $props()
  let compared = $state(false)
  const theirs = $derived(open.theirs)
  /** What is the same is cut to the lines beside a change. */
  const parts = $derived(
    theirs
      ? diffLines(theirs.text, open.text).map((part) => {
          const lines = part.value.split('\n')
          const long = !part.added && !part.removed && lines.length > 4
          return long ? { ...part, value: [lines[0], '…', ...lines.slice(-2)].join('\n') } : part
        })
      : [],
  )
</script>

{#if theirs}
  <section role="alert" class="border-b border-hair bg-glow px-4 py-2 text-[13px]">
    <p>
      <b class="font-semibold">This {open.kind.what} was saved elsewhere</b> as version {theirs.version} on {when(
        theirs.saved,
      )}, while you were writing here. What you wrote is still below, and not saved.
    </p>
    <p class="mt-1 flex flex-wrap gap-x-4 gap-y-1">
      <button class="link" aria-expanded={compared} onclick={() => (compared = !compared)}
        >What differs</button
      >
      <button class="link" title="Version {theirs.version} stays among the versions" onclick={open.saveOver}
        >Save mine over it</button
      >
      <button class="link" onclick={open.takeTheirs}>Take theirs</button>
      <button
        class="link"
        title="What you wrote becomes a {open.kind.what} of its own"
        onclick={open.keepBoth}>Keep both</button
      >
    </p>
    {#if compared}
      <pre
        class="mt-2 max-h-[180px] overflow-auto font-mono text-[12.5px] leading-[1.55] break-words whitespace-pre-wrap">{#each parts as part, n (n)}<span
            class="block {part.added ? 'text-gain' : part.removed ? 'text-loss line-through' : 'text-ink2'}"
            >{part.value.replace(/\n$/, '')}</span
          >{/each}</pre>
      <p class="text-ink3">Struck through: saved elsewhere, and not here. Coloured: written here.</p>
    {/if}
  </section>
{/if}
