<script lang="ts">
  /** One message: read once it is opened. */
  import { sentence } from '$lib/api'
  import { longMoment, when } from '$lib/format'
  import { deskApi } from '$lib/desk'
  import { standOn } from '$lib/market.svelte'
  import { ask, forget, query } from '$lib/queries'
  import { go } from '$lib/router.svelte'

  const { id, ondelete }: { id: number; ondelete: () => void } = $props()
  const answer = query(() => ask.message(id))
  const one = $derived(answer.data ?? null)
  let marked = $state(0)
  /** A message leads to a chart, a rule, the bench, the data: the button says which. */
  const TARGETS: Record<string, string> = { symbol: 'chart', rules: 'rule', books: 'book' }
  const target = $derived.by(() => {
    const room = one?.place.split(/[/?]/)[1] ?? ''
    return TARGETS[room] ?? room
  })

  $effect(() => {
    if (!one || one.read || marked === one.id) return
    marked = one.id
    void deskApi.mark(one.id, true).then(() => forget('alerts'))
  })

  function open(): void {
    if (!one) return
    standOn(one.moment)
    go(one.place)
  }
</script>

{#if answer.error}
  <p role="alert" class="p-6 text-loss">{sentence(answer.error)}</p>
{:else if !one}
  <p class="p-6 text-ink2">Opening …</p>
{:else}
  <article class="max-w-[760px] px-6 pt-4 pb-10">
    <button class="link mb-2 text-[13px] min-[800px]:hidden" onclick={() => go('/outbox')}
      >all messages</button
    >
    <h2 class="font-title text-[22px] leading-snug">{one.subject}</h2>
    <p class="mt-1 flex flex-wrap gap-x-4 text-[13px] text-ink2">
      <span>{longMoment(one.moment)}</span>
      <span>written {when(one.made)}{one.sent ? `, sent ${when(one.sent)}` : ''}</span>
      {#if one.place}<button class="underline underline-offset-3" onclick={open}>Open {target}</button>{/if}
      <a class="link" href="/api/outbox/{one.id}/eml" download>.eml</a>
      <button
        class="link"
        onclick={() => {
          marked = one!.id
          void deskApi.mark(one!.id, false).then(() => forget('alerts'))
        }}>Mark unread</button
      >
      <button class="link" title="Del" onclick={ondelete}>Delete</button>
    </p>
    <pre class="mt-4 font-sans text-[15px] leading-relaxed break-words whitespace-pre-wrap">{one.text}</pre>
    {#each one.charts as name, i (name)}
      <img class="mt-3 max-w-full" src="/api/outbox/{one.id}/chart/{i}" alt={name.replace('.png', '')} />
    {/each}
  </article>
{/if}
