<script lang="ts">
  import PencilLine from '@lucide/svelte/icons/pencil-line'
  import { api, sentence } from '$lib/api'

  interface Props {
    oninsert: (lines: string[]) => void
  }
  const { oninsert }: Props = $props()
  let said = $state('')
  let lines = $state<string[]>([])
  let unknown = $state<string[]>([])
  let trouble = $state('')

  let request: AbortController | undefined
  $effect(() => {
    const phrase = said.trim()
    if (!phrase) {
      lines = []
      unknown = []
      trouble = ''
      return
    }
    const timer = setTimeout(() => void ask(phrase), 140)
    return () => clearTimeout(timer)
  })

  async function ask(phrase: string): Promise<void> {
    request?.abort()
    const mine = (request = new AbortController())
    try {
      const found = await api.phrase(phrase, mine.signal)
      if (mine.signal.aborted) return
      lines = found.lines
      unknown = found.unknown
      trouble = ''
    } catch (error) {
      if (!mine.signal.aborted) trouble = sentence(error)
    }
  }

  async function put(): Promise<void> {
    await ask(said.trim())
    if (!lines.length) return
    oninsert(lines)
    said = ''
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
        {#each lines as line (line)}<p class="font-mono text-ink">{line}</p>{/each}
        <p class="mt-1 text-ink3"><kbd>↵</kbd> puts {lines.length > 1 ? 'them' : 'it'} in the rule</p>
      {:else if unknown.length}
        <p>
          Not understood: <span class="font-semibold text-ink">{unknown.join(', ')}</span>. Say it another
          way, or write the line itself.
        </p>
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
