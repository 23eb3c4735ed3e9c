<script lang="ts">
  import { untrack } from 'svelte'
  import { sentence } from '$lib/api'
  import { ask, keepPrevious, query } from '$lib/queries'

  interface Props {
    text: string
    offset: number
    onclose: () => void
  }
  const { text, offset, onclose }: Props = $props()
  let asked = $state(untrack(() => text))
  // Not at every key.
  $effect(() => {
    const next = text
    const timer = setTimeout(() => (asked = next), 200)
    return () => clearTimeout(timer)
  })
  const read = query(() => ({ ...ask.aloud(asked), ...keepPrevious }))
  const notes = $derived(read.data ?? [])
  const trouble = $derived(read.error ? sentence(read.error) : '')
</script>

<section aria-label="The rule read aloud" class="border-t border-hair px-4 py-3">
  <div class="flex items-baseline">
    <h2 class="font-title text-[16px]">Read aloud</h2>
    <button class="link ml-auto text-[13px]" onclick={onclose}>Close</button>
  </div>
  {#if trouble}
    <p class="mt-1 text-[13px] text-ink2">{trouble}</p>
  {:else}
    <ol class="mt-1 flex flex-col gap-0.5 text-[14px] leading-snug">
      {#each notes as note, i (i)}
        <li
          class="grid grid-cols-[26px_1fr]"
          style:padding-left="{((note.text.length - note.text.trimStart().length) / 2) * 18}px"
        >
          <span class="num pr-2 text-[12px] text-ink3">{note.line - offset}</span>{note.text.trim()}
        </li>
      {/each}
    </ol>
  {/if}
</section>
