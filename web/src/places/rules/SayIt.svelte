<script lang="ts">
  import PencilLine from '@lucide/svelte/icons/pencil-line'
  import { sentence } from '$lib/api'
  import { ask, client, keepPrevious, query } from '$lib/queries'

  interface Props {
    oninsert: (lines: string[]) => void
  }
  const { oninsert }: Props = $props()
  let said = $state('')
  let asked = $state('')
  $effect(() => {
    const phrase = said.trim()
    const timer = setTimeout(() => (asked = phrase), phrase ? 140 : 0)
    return () => clearTimeout(timer)
  })
  const answer = query(() => ({ ...ask.phrase(asked), enabled: asked !== '', ...keepPrevious }))
  const lines = $derived(asked ? (answer.data?.lines ?? []) : [])
  const words = $derived(answer.data?.words ?? [])
  const unknown = $derived(asked ? (answer.data?.unknown ?? []) : [])
  const offers = $derived(asked ? (answer.data?.offers ?? []) : [])
  let failed = $state('')
  const trouble = $derived(answer.error ? sentence(answer.error) : failed)

  async function put(): Promise<void> {
    const phrase = said.trim()
    if (!phrase) return
    try {
      const found = await client.fetchQuery(ask.phrase(phrase))
      failed = ''
      if (!found.lines.length) return
      oninsert(found.lines)
      said = ''
    } catch (error) {
      failed = sentence(error)
    }
  }
</script>

<form
  class="relative flex min-w-0 flex-1 items-center gap-2"
  onsubmit={(event) => {
    event.preventDefault()
    void put()
  }}
>
  {#if said.trim()}
    <div
      class="absolute right-0 bottom-full left-0 mb-2 border border-hair bg-paper px-3 py-2 text-[13px]"
      role="status"
    >
      {#if trouble}
        <p class="text-loss">{trouble}</p>
      {:else if lines.length}
        {#each lines as line, i (i)}
          <p class="font-mono text-ink">{line}</p>
          <p class="text-ink2">{words[i]}</p>
        {/each}
        <p class="mt-1 text-ink3"><kbd>↵</kbd> puts {lines.length > 1 ? 'them' : 'it'} in the rule</p>
      {:else if unknown.length}
        <p>
          Not understood: <span class="font-semibold text-ink">{unknown.join(', ')}</span>. Say it another
          way, write the line itself{offers.length ? ', or choose one that is near:' : '.'}
        </p>
        <ul class="mt-1">
          {#each offers as offer (offer.line)}
            <li>
              <button
                type="button"
                class="block w-full px-1 py-0.5 text-left hover:bg-row"
                onclick={() => (oninsert([offer.line]), (said = ''))}
              >
                <span class="font-mono text-ink">{offer.line}</span>
                <span class="block text-ink2">{offer.words}</span>
              </button>
            </li>
          {/each}
        </ul>
      {/if}
    </div>
  {/if}
  <PencilLine size={14} class="shrink-0 text-ember" aria-hidden="true" />
  <input
    class="min-w-0 flex-1 bg-transparent py-0.5 text-ink"
    aria-label="Say a condition in words"
    placeholder="Say it in words: “volume at least twice its 10-day average”"
    maxlength="300"
    bind:value={said}
    onkeydown={(event) => {
      if (event.key === 'Escape') said = ''
    }}
  />
</form>
