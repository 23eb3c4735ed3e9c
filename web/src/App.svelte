<script lang="ts">
  import { tick, type Component } from 'svelte'
  import { api, onSignedOut, sentence } from '$lib/api'
  import { commandIn } from '$lib/commands'
  import { isCommand } from '$lib/keys'
  import { lazily } from '$lib/lazily'
  import { go, route } from '$lib/router.svelte'
  import { loadMarket, market } from '$lib/market.svelte'
  import { listen } from '$lib/invalidation'
  import { loadPreferences } from '$lib/preferences.svelte'
  import { act, notice } from '$lib/notice.svelte'
  import { nextPart, nextRow } from '$lib/regions'
  import { notifyOfMessages } from '$lib/notifications'
  import { client } from '$lib/queries'
  import { HOME, PLACES, placeOf, type Place } from './places/places'
  import SignIn from './places/SignIn.svelte'
  import Strip from './places/Strip.svelte'
  import { shortlist } from '$lib/inview.svelte'
  import Find from './places/Find.svelte'
  import Keys from './places/Keys.svelte'

  let who = $state<string | null>(null)
  let known = $state(false)
  // Nothing is shown before the account's own choices are there: what opens with others would keep them.
  let ready = $state(false)
  let trouble = $state('')
  let keysOpen = $state(false)
  let finding = $state(false)
  let content: HTMLElement | undefined = $state()

  let ends: (() => void)[] = []
  function leave(): void {
    who = null
    giveUp?.() // who has signed out is not asked to sign in again for what was still under way
    market.now = null
    for (const end of ends) end()
    ends = []
    client.clear() // what one account has fetched is not the next one's
  }
  /** A session that ends in the middle of work is begun again over the page, which stays as it is. */
  let again = $state<(() => void) | null>(null)
  let giveUp: (() => void) | null = null
  let asked: Promise<void> | null = null
  onSignedOut(() => {
    if (who === null) return Promise.reject(new Error('Sign in first.'))
    const focused = document.activeElement as HTMLElement | null
    asked ??= new Promise<void>((done, fail) => {
      again = done
      giveUp = () => fail(new Error('Sign in first.'))
    }).finally(() => {
      again = giveUp = null
      asked = null
      void tick().then(() => focused?.focus())
    })
    return asked
  })
  function back(name: string | null): void {
    // Somebody else finds nothing of what stood here.
    if (name !== who) return location.reload()
    again?.()
  }

  async function begin(name: string | null): Promise<void> {
    who = name
    known = true
    ready = false
    if (!name) return
    trouble = ''
    try {
      const quiet = await listen()
      if (who !== name) return quiet() // signed out meanwhile
      ends.push(quiet)
      const [end] = await Promise.all([loadMarket(), loadPreferences()])
      ready = true
      ends.push(end, notifyOfMessages(name))
      // Where nothing is there yet, the first thing to do is to bring it.
      const none = !market.now?.sessions.length
      if (!placeOf(route.path) || (none && route.path === HOME)) go(none ? '/data' : HOME, true)
    } catch (error) {
      trouble = sentence(error)
    }
  }

  api
    .session()
    .then((session) => begin(session.name ?? null))
    .catch((error) => {
      known = true
      trouble = sentence(error)
    })

  const here = $derived(placeOf(route.path))
  // Each place is loaded when it is first opened, and kept.
  const loads = Object.fromEntries(PLACES.map((place) => [place.id, lazily(place.load)]))
  const load = (place: Place) => loads[place.id]!()
  // What stands on the page: a place and what it was given change together, once the place is there.
  let shown = $state.raw<{
    Opened: Component<Record<string, unknown>>
    props: Record<string, unknown>
  } | null>(null)
  let lost = $state(false)
  $effect(() => {
    const to = here
    if (!to || who === null) return
    load(to.place).then(
      ({ default: Opened }) => {
        if (to !== here) return
        shown = { Opened, props: to.props }
        lost = false
      },
      () => (lost = true),
    )
  })
  $effect(() => {
    // What is opened next most often is fetched while nothing else is to be done.
    if (who && here?.place.id === 'rules') setTimeout(() => void load(PLACES[0]!).catch(() => undefined), 400)
  })

  let pending = ''
  function keydown(event: KeyboardEvent): void {
    const command = commandIn(event, 'everywhere')
    if (command === 'keys') keysOpen = true
    // After g the letter names a place.
    if (who && (command === 'part.next' || command === 'part.before')) {
      event.preventDefault()
      // From nowhere in particular it is what the page is about that comes first.
      const from = document.activeElement === document.body ? (content ?? null) : document.activeElement
      const page = document.querySelector('[role=dialog]') ?? document
      nextPart(page, from, command === 'part.before')?.focus()
    }
    if (command === 'undo') act()
    const row = commandIn(event, 'list')
    // A chart or a sheet that is in view moves by the same keys.
    if (row && !document.querySelector('[data-arrows]')) {
      const to = nextRow(event.target as Element, row === 'row.before')
      if (to) {
        event.preventDefault()
        to.focus()
      }
    }
    if (command === 'shortlist' && who && pending !== 'g') void shortlist()
    if (command === 'find' && who) {
      event.preventDefault()
      finding = !finding
    }
    const target = event.target as HTMLElement
    if (
      event.key === 'Escape' &&
      !event.defaultPrevented &&
      target.closest('input, textarea, select, .cm-editor')
    )
      target.blur()
    if (!isCommand(event)) return
    const to = pending === 'g' ? PLACES.find((place) => place.key === event.key) : undefined
    if (to) go(to.address)
    pending = event.key
  }
</script>

<svelte:window onkeydown={keydown} />

<div class="flex h-full flex-col" inert={again !== null}>
  {#if !known}
    <p class="m-auto text-ink2">Opening …</p>
  {:else if who === null}
    <SignIn {trouble} onsigned={begin} />
  {:else}
    <a
      href="#content"
      class="sr-only focus:not-sr-only focus:absolute focus:z-30 focus:bg-ink focus:px-3 focus:py-1 focus:text-paper"
      onclick={(event) => {
        event.preventDefault()
        content?.focus()
      }}>To the content</a
    >
    <Strip {who} onout={leave} onkeys={() => (keysOpen = true)} onfind={() => (finding = true)} />
    {#if market.now}<Find bind:open={finding} />{/if}
    <main class="min-h-0 flex-1 focus:outline-none" id="content" tabindex="-1" bind:this={content}>
      {#if trouble}
        <div class="m-auto max-w-xl p-12">
          <h1 class="font-title text-2xl">Nothing to show yet</h1>
          <p class="mt-3 text-ink2">{trouble}</p>
          <button class="quiet mt-4" onclick={() => begin(who)}>Try again</button>
        </div>
      {:else if !ready}
        <p class="p-12 text-ink2">Loading the market …</p>
      {:else if here}
        {#if lost}
          <div class="p-12">
            <p role="alert" class="text-loss">
              This part of the application could not be fetched; is the server still running?
            </p>
            <button class="quiet mt-4" onclick={() => location.reload()}>Load the page again</button>
          </div>
        {:else if shown}
          {#key shown.props.id}
            <shown.Opened {...shown.props} />
          {/key}
        {:else}
          <p class="p-12 text-ink2">Opening …</p>
        {/if}
      {/if}
    </main>
  {/if}
  {#if notice.now}
    <div
      role="status"
      class="fixed bottom-4 left-1/2 flex -translate-x-1/2 items-center gap-4 bg-ink px-4 py-2 text-paper"
    >
      <span>{notice.now.text}</span>
      {#if notice.now.action}
        <button class="font-semibold underline underline-offset-3" title="z" onclick={act}
          >{notice.now.action.label}</button
        >
      {/if}
    </div>
  {/if}
  <Keys bind:open={keysOpen} />
</div>

{#if again}
  <div
    role="dialog"
    aria-modal="true"
    aria-label="Sign in again"
    class="fixed inset-0 z-50 flex bg-paper/85 backdrop-blur-[6px]"
  >
    <SignIn trouble="" again={who ?? ''} onsigned={back} />
  </div>
{/if}
