<script lang="ts">
  /** The simulated feed: goes on with the invented market, an evening or a session at a time. */
  import { DropdownMenu } from 'bits-ui'
  import Pause from '@lucide/svelte/icons/pause'
  import Play from '@lucide/svelte/icons/play'
  import { data, sentence } from '$lib/api'
  import { tell } from '$lib/notice.svelte'
  import { ask, client, query } from '$lib/queries'

  const answer = query(() => ask.feed())
  const feed = $derived(answer.data ?? null)
  // What was said last is told once it is over; while it goes it stands beside.
  let last = ''
  $effect(() => {
    if (!feed) return
    if (last && !feed.going && feed.said && feed.said !== last) tell(feed.said)
    last = feed.said || ' '
  })

  async function go(way: string): Promise<void> {
    try {
      client.setQueryData(ask.feed().queryKey, await data.go({ way }))
    } catch (error) {
      tell(sentence(error))
    }
  }
</script>

{#if feed?.may}
  {#if feed.going}
    <button
      class="flex items-center gap-1 px-1 text-ember"
      title="{feed.said} Pause."
      aria-label="Pause the feed"
      onclick={() => go('pause')}
    >
      <Pause size={15} /><span class="text-[12.5px] max-[1380px]:hidden">running</span>
    </button>
  {:else}
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        class="px-1 text-ink2 hover:text-ink"
        aria-label="Let the market go on"
        title="Let the market go on"><Play size={15} /></DropdownMenu.Trigger
      >
      <DropdownMenu.Portal>
        <DropdownMenu.Content preventScroll={false} align="end" class="menu">
          {#each feed.ways as { way, said } (way)}
            <DropdownMenu.Item onSelect={() => void go(way)}>{said}</DropdownMenu.Item>
          {/each}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  {/if}
{/if}
