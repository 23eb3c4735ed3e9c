<script lang="ts">
  /** The book in plain sentences. */
  import { sentence } from '$lib/api'
  import { ask, keepPrevious, query } from '$lib/queries'

  interface Props {
    text: string
    offset: number
    onclose: () => void
  }
  const { text, offset, onclose }: Props = $props()
  const answer = query(() => ({ ...ask.bookAloud(text), ...keepPrevious }))
</script>

<div class="bg-paper2 px-4 py-2 text-[14px]">
  <button class="link float-right text-[13px]" onclick={onclose}>close</button>
  {#if answer.error}
    <p class="text-loss">{sentence(answer.error)}</p>
  {:else}
    <ol>
      {#each answer.data ?? [] as note (note.line)}
        <li class="py-[1px] {note.text.startsWith('  ') ? 'pl-5' : ''}">
          <span class="mr-2 font-mono text-[12px] text-ink3"
            >{note.line > offset ? note.line - offset : ''}</span
          >{note.text}
        </li>
      {/each}
    </ol>
  {/if}
</div>
