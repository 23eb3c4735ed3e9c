<script lang="ts">
  import { api, onSignedOut, sentence } from '$lib/api'
  import { isCommand } from '$lib/keys'
  import { go, referenceOf, route, ruleOf, sharedOf } from '$lib/router.svelte'
  import { loadLists, loadMarket, market } from '$lib/market.svelte'
  import { loadPreferences } from '$lib/preferences.svelte'
  import { hush, notice } from '$lib/notice.svelte'
  import RuleList from './places/rules/RuleList.svelte'
  import Workspace from './places/rules/Workspace.svelte'
  import SignIn from './places/SignIn.svelte'
  import Strip from './places/Strip.svelte'
  import Keys from './places/Keys.svelte'
  import Reference from './places/Reference.svelte'
  import Shared from './places/Shared.svelte'

  let who = $state<string | null>(null)
  let known = $state(false)
  let trouble = $state('')
  let keysOpen = $state(false)

  onSignedOut(() => (who = null))

  async function begin(name: string | null): Promise<void> {
    who = name
    known = true
    if (!name) return
    trouble = ''
    try {
      await Promise.all([loadMarket(), loadPreferences(), loadLists()])
      if (!ruleOf(route.path) && referenceOf(route.path) === null && !sharedOf(route.path)) go('/rules', true)
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

  const open = $derived(ruleOf(route.path))
  const shared = $derived(sharedOf(route.path))
  const looked = $derived(referenceOf(route.path))

  let pending = ''
  function keydown(event: KeyboardEvent): void {
    if (!isCommand(event)) return
    if (event.key === '?') keysOpen = true
    else if (pending === 'g' && event.key === 'r') go('/rules')
    else if (pending === 'g' && event.key === 'w') go('/reference')
    pending = event.key
  }
</script>

<svelte:window onkeydown={keydown} />

<div class="flex h-full flex-col">
  {#if !known}
    <p class="m-auto text-ink2">Opening …</p>
  {:else if who === null}
    <SignIn {trouble} onsigned={begin} />
  {:else}
    <Strip {who} onout={() => (who = null)} onkeys={() => (keysOpen = true)} />
    <main class="min-h-0 flex-1">
      {#if trouble}
        <div class="m-auto max-w-xl p-12">
          <h1 class="font-title text-2xl">Nothing to show yet</h1>
          <p class="mt-3 text-ink2">{trouble}</p>
          <button class="quiet mt-4" onclick={() => begin(who)}>Try again</button>
        </div>
      {:else if !market.now}
        <p class="p-12 text-ink2">Loading the market …</p>
      {:else if looked !== null}
        <Reference name={looked} />
      {:else if shared}
        <Shared token={shared} />
      {:else if open}
        {#key open.id}
          <Workspace id={open.id} tab={open.tab} />
        {/key}
      {:else}
        <RuleList />
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
        <button
          class="font-semibold underline underline-offset-3"
          onclick={() => {
            notice.now?.action?.run()
            hush()
          }}>{notice.now.action.label}</button
        >
      {/if}
    </div>
  {/if}
  <Keys bind:open={keysOpen} />
</div>
