<script lang="ts">
  /** Every message the application has written; alerts and schedules, which they come from. */
  import { sentence } from '$lib/api'
  import { attempt, undoable } from '$lib/mutation'
  import { copy } from '$lib/csv'
  import { longMoment } from '$lib/format'
  import { deskApi } from '$lib/desk'
  import { commandIn } from '$lib/commands'
  import { tell } from '$lib/notice.svelte'
  import { ask, keepPrevious, query } from '$lib/queries'
  import { go } from '$lib/router.svelte'
  import Alerts from './Alerts.svelte'
  import Message from './Message.svelte'
  import Schedules from './Schedules.svelte'

  interface Props {
    tab?: 'messages' | 'alerts' | 'schedules'
    message?: number | null
    /** The rule that a schedule is begun from. */
    rule?: number | null
  }
  const { tab = 'messages', message = null, rule = null }: Props = $props()
  const TABS = [
    ['messages', 'Messages', '/outbox'],
    ['alerts', 'Alerts', '/outbox/alerts'],
    ['schedules', 'Schedules', '/outbox/schedules'],
  ] as const
  let search = $state('')
  const answer = query(() => ({ ...ask.outbox(search.trim()), ...keepPrevious }))
  const found = $derived(answer.data ?? null)

  const remove = (id: number) =>
    attempt(['alerts'], async () => {
      const at = found?.messages.findIndex((one) => one.id === id) ?? -1
      const next = found?.messages[at + 1] ?? found?.messages[at - 1]
      await deskApi.removeMessage(id)
      go(next ? `/outbox/${next.id}` : '/outbox')
      undoable('The message is deleted.', ['alerts'], () => deskApi.restoreMessage(id))
    })

  const calendar = () =>
    attempt(['alerts'], async () => {
      const { address } = await deskApi.calendar()
      tell(
        (await copy(address))
          ? 'The calendar’s address is on the clipboard: subscribe to it.'
          : `Subscribe to ${address}`,
      )
    })

  function keydown(event: KeyboardEvent): void {
    if (tab !== 'messages' || !found) return
    const command = commandIn(event, 'outbox')
    if (command === 'outbox.next' || command === 'outbox.before') {
      event.preventDefault()
      const at = found.messages.findIndex((one) => one.id === message)
      const next = found.messages[command === 'outbox.next' ? at + 1 : Math.max(0, at - 1)]
      if (next) go(`/outbox/${next.id}`)
    } else if (command === 'outbox.delete' && message !== null) void remove(message)
  }
</script>

<svelte:head><title>Outbox, Upper Wick</title></svelte:head>
<svelte:window onkeydown={keydown} />
<section class="flex h-full flex-col" data-state={answer.isFetching ? 'counting' : 'counted'}>
  <div class="flex shrink-0 flex-wrap items-baseline gap-x-6 gap-y-1 border-b border-hair px-5 pt-3 pb-2">
    <h1 class="font-title text-[24px]">Outbox</h1>
    <nav class="flex gap-4" aria-label="Parts of the outbox">
      {#each TABS as [id, title, address] (id)}
        <a
          href={address}
          class={tab === id ? 'border-b-2 border-ember font-semibold' : 'text-ink2'}
          aria-current={tab === id ? 'page' : undefined}
          onclick={(event) => (event.preventDefault(), go(address))}
          >{title}{id === 'messages' && found?.unread ? ` ${found.unread}` : ''}</a
        >
      {/each}
    </nav>
    <span class="ml-auto flex flex-wrap items-baseline gap-4 text-[13px]">
      {#if tab === 'messages'}
        <input
          class="field w-52"
          type="search"
          placeholder="Search"
          aria-label="Search the messages"
          bind:value={search}
        />
        <button class="link" disabled={!found?.unread} onclick={() => attempt(['alerts'], deskApi.readAll)}
          >Mark all read</button
        >
      {/if}
      <button
        class="link"
        title="Reports of what is on your lists, and announcements, for a calendar program"
        onclick={calendar}>Calendar</button
      >
    </span>
  </div>
  {#if tab === 'alerts'}
    <Alerts />
  {:else if tab === 'schedules'}
    <Schedules {rule} />
  {:else if answer.error && !found}
    <p role="alert" class="p-6 text-loss">{sentence(answer.error)}</p>
  {:else if !found}
    <p class="p-6 text-ink2">Opening the outbox …</p>
  {:else if !found.total}
    <p class="max-w-[64ch] p-6 text-[14px] text-ink2">
      {search
        ? `No message speaks of “${search}”.`
        : 'No messages yet. Set an alert on a chart (Alert), under a rule’s More, or on a breadth; or schedule a rule to run after the close: each writes a message here when there is something to say.'}
    </p>
  {:else}
    <div class="grid min-h-0 flex-1 grid-cols-1 min-[800px]:grid-cols-[380px_minmax(0,1fr)]">
      <ul
        class="overflow-auto border-hair min-[800px]:border-r {message !== null ? 'max-[799px]:hidden' : ''}"
        class:waits={answer.isPlaceholderData}
      >
        {#each found.messages as one (one.id)}
          <li>
            <a
              href="/outbox/{one.id}"
              aria-current={one.id === message ? 'true' : undefined}
              class="block border-b border-hair px-5 py-2 {one.id === message ? 'bg-row' : ''}"
              onclick={(event) => (event.preventDefault(), go(`/outbox/${one.id}`))}
            >
              <span class="block {one.read ? 'text-ink2' : 'font-semibold'}">{one.subject}</span>
              <span class="block text-[12px] text-ink3">{longMoment(one.moment)} · {one.label}</span>
            </a>
          </li>
        {/each}
        {#if found.total > found.messages.length}
          <li class="px-5 py-2 text-[13px] text-ink3">
            The latest {found.messages.length} of {found.total}; search for older ones.
          </li>
        {/if}
      </ul>
      <div class="min-w-0 overflow-auto {message === null ? 'max-[799px]:hidden' : ''}">
        {#if message !== null}
          <Message id={message} ondelete={() => remove(message)} />
        {:else}
          <p class="p-6 text-[13px] text-ink3">j and k go through the messages.</p>
        {/if}
      </div>
    </div>
  {/if}
</section>
