<script lang="ts">
  import LogOut from '@lucide/svelte/icons/log-out'
  import Moon from '@lucide/svelte/icons/moon'
  import Sun from '@lucide/svelte/icons/sun'
  import { api } from '$lib/api'
  import { commandIn, shownKey, type Command } from '$lib/commands'
  import { longDay, longMoment } from '$lib/format'
  import { dayOf, latest, market, minutes, standOn, step } from '$lib/market.svelte'
  import { go, route } from '$lib/router.svelte'
  import { server } from '$lib/server.svelte'
  import { theme, toggleTheme } from '$lib/theme.svelte'
  import Clock from './Clock.svelte'
  import { HOME, PLACES, placeOf, type Place } from './places'

  interface Props {
    who: string
    onout: () => void
    onkeys: () => void
    onfind: () => void
  }
  const { who, onout, onkeys, onfind }: Props = $props()
  const sessions = $derived(market.now?.sessions ?? [])
  const past = $derived(market.asOf !== null && market.asOf !== latest())
  const here = $derived(placeOf(route.path)?.place)
  const inStrip = (where: Place['strip']) => PLACES.filter((place) => place.strip === where)
  /** A place is current with everything below its address. */
  const current = (place: Place) => here?.address.startsWith(place.address) ?? false
  // A brace is a bracket with Shift on many keyboards, so a month has keys of its own.
  const STEPS = {
    'minute.back': [-1, 'minute'],
    'minute.forward': [1, 'minute'],
    'session.back': [-1, 'day'],
    'session.forward': [1, 'day'],
    'week.back': [-1, 'week'],
    'week.forward': [1, 'week'],
    'month.back': [-1, 'month'],
    'month.forward': [1, 'month'],
  } as const
  const keyOf = (unit: 'day' | 'week' | 'month', way: 'back' | 'forward') =>
    shownKey(`${unit === 'day' ? 'session' : unit}.${way}` as Command)
  const session = $derived(dayOf(market.asOf))
  const within = $derived(minutes(session))
  let picker: HTMLInputElement | undefined = $state()

  async function leave(): Promise<void> {
    await api.signOut()
    onout()
  }
</script>

<header class="flex min-h-[44px] shrink-0 flex-wrap items-center gap-x-6 border-b border-hair px-4">
  <a
    href={HOME}
    class="flex items-center gap-2"
    onclick={(event) => {
      event.preventDefault()
      go(HOME)
    }}
  >
    <svg viewBox="0 0 16 24" class="h-6" aria-hidden="true">
      <path d="M8 1v8" stroke="var(--ember)" stroke-width="2" />
      <rect x="3" y="9" width="10" height="13" rx="1.5" fill="none" stroke="currentColor" stroke-width="2" />
    </svg>
    <span class="font-title text-[21px] leading-none">Upper Wick</span>
  </a>
  <nav aria-label="Places" class="flex h-[43px] max-[560px]:h-[28px]">
    {#each inStrip('places') as place (place.id)}
      <a
        href={place.address}
        aria-current={current(place) ? 'page' : undefined}
        title={place.key ? `g ${place.key}` : undefined}
        class="grid h-full place-items-center border-b-2 px-1 pt-[2px] max-[420px]:px-[3px] {current(place)
          ? 'border-ember font-semibold'
          : 'border-transparent text-ink2'}"
        onclick={(event) => {
          event.preventDefault()
          go(place.address)
        }}>{place.title}</a
      >
    {/each}
  </nav>
  {#if market.now?.invented}
    <span
      class="hidden text-[13px] text-ink3 min-[1560px]:inline"
      title="An island exchange invented from end to end: its companies, indices and prices exist nowhere."
      >demo market: all invented</span
    >
  {/if}
  <div class="ml-auto flex items-center gap-1" class:past>
    {#each [['month', '‹‹‹'], ['week', '‹‹'], ['day', '‹']] as const as [unit, sign] (unit)}
      <button
        class="px-1 text-[17px] leading-none text-ink2 hover:text-ink disabled:opacity-40 {unit === 'day'
          ? ''
          : 'max-[560px]:hidden'}"
        aria-label="One {unit === 'day' ? 'session' : unit} back"
        title="One {unit === 'day' ? 'session' : unit} back ({keyOf(unit, 'back')})"
        disabled={session === sessions[0] && market.asOf === session}
        onclick={() => step(-1, unit)}>{sign}</button
      >
    {/each}
    <label class="relative cursor-pointer">
      <!-- The line under the strip says it too, and the strip keeps to one line. -->
      {#if past}<span class="max-[1380px]:hidden">standing on</span>{:else}{(market.asOf?.length ?? 0) > 10
          ? 'now'
          : 'evening of'}{/if}
      <span class="font-semibold">{session ? longDay(session) : '–'}</span>
      <input
        bind:this={picker}
        type="date"
        aria-label="The evening to stand on"
        class="absolute inset-0 cursor-pointer opacity-0"
        value={session}
        min={sessions[0]}
        max={dayOf(latest())}
        onclick={() => picker?.showPicker?.()}
        onchange={(event) => standOn(event.currentTarget.value)}
      />
    </label>
    {#if within.length}
      <select
        class="cursor-pointer bg-transparent font-semibold max-[560px]:hidden"
        aria-label="The minute of the session to stand on"
        title="The minute of the session to stand on ({shownKey('minute.back')} and {shownKey(
          'minute.forward',
        )})"
        value={market.asOf!.slice(11, 16)}
        onchange={(event) => {
          const at = event.currentTarget.value
          standOn(at ? `${session}T${at}` : session!)
        }}
      >
        {#if session !== dayOf(latest()) || (latest()?.length ?? 0) <= 10}<option value="">close</option>{/if}
        {#each within as at (at)}<option value={at}>{at}</option>{/each}
      </select>
    {/if}
    {#each [['day', '›'], ['week', '››'], ['month', '›››']] as const as [unit, sign] (unit)}
      <button
        class="px-1 text-[17px] leading-none text-ink2 hover:text-ink disabled:opacity-40 {unit === 'day'
          ? ''
          : 'max-[560px]:hidden'}"
        aria-label="One {unit === 'day' ? 'session' : unit} forward"
        title="One {unit === 'day' ? 'session' : unit} forward ({keyOf(unit, 'forward')})"
        disabled={!past}
        onclick={() => step(1, unit)}>{sign}</button
      >
    {/each}
    {#if market.now?.invented}<span class="flex max-[560px]:hidden"><Clock /></span>{/if}
  </div>
  <div class="flex items-center gap-3 text-ink2">
    {#each inStrip('helps') as place (place.id)}
      <a
        href={place.address}
        class="link {current(place) ? 'font-semibold text-ink' : ''}"
        aria-current={current(place) ? 'page' : undefined}
        title="{place.help} (g {place.key})"
        onclick={(event) => {
          event.preventDefault()
          go(place.address)
        }}>{place.title}</a
      >
    {/each}
    <button class="link" onclick={onfind} title="Find anything (Ctrl K)"
      ><kbd>Ctrl K</kbd><span class="max-[1399px]:sr-only"> find</span></button
    >
    <button class="link" onclick={onkeys} title="The list of keys (?)"
      ><kbd>?</kbd><span class="max-[1399px]:sr-only"> keys</span></button
    >
    <button
      class="p-1 hover:text-ink"
      aria-label={theme.now === 'dark' ? 'Light theme' : 'Dark theme'}
      title={theme.now === 'dark' ? 'Light theme' : 'Dark theme'}
      onclick={toggleTheme}
    >
      {#if theme.now === 'dark'}<Sun size={16} />{:else}<Moon size={16} />{/if}
    </button>
    {#each inStrip('account') as place (place.id)}
      <a
        href={place.address}
        class="link max-w-[110px] truncate {current(place) ? 'font-semibold text-ink' : ''}"
        aria-current={current(place) ? 'page' : undefined}
        aria-label="Account: {who}"
        title="{who}: {place.help} (g {place.key})"
        onclick={(event) => {
          event.preventDefault()
          go(place.address)
        }}>{who}</a
      >
    {/each}
    <button class="p-1 hover:text-ink" aria-label="Sign out {who}" title="Sign out {who}" onclick={leave}>
      <LogOut size={16} />
    </button>
  </div>
</header>

{#if market.now?.compiling.length}
  <div role="status" class="shrink-0 border-b border-hair px-4 py-0.5 text-[13px] text-ink2">
    Compiling {market.now.compiling.includes('books')
      ? 'what runs books'
      : market.now.compiling.includes('patterns')
        ? 'the chart patterns'
        : 'the rarer measures'}, once: what needs it may have to wait a minute.
  </div>
{/if}

{#if market.now?.damaged.length}
  {@const damaged = market.now.damaged}
  <div role="alert" class="shrink-0 border-b border-hair bg-glow px-4 py-0.5 text-[13px]">
    The stored bars of {damaged
      .slice(0, 3)
      .map((place) => `${place.symbol} for ${place.year}`)
      .join(', ')}{damaged.length > 3 ? ` and ${damaged.length - 3} more` : ''} are damaged: they are left out of
    every scan, chart and study. Import {damaged.length === 1 ? 'that year' : 'those years'} again, from your last
    export or file, to have them back.
  </div>
{/if}

{#if server.away}
  <div role="status" class="shrink-0 border-b border-hair bg-glow px-4 py-0.5 text-[13px]">
    The server does not answer. It is asked again every few seconds; what you write is kept here meanwhile.
  </div>
{/if}

{#if past}
  <div role="status" class="flex shrink-0 items-center gap-3 bg-glow px-4 py-0.5 text-[13px]">
    <span
      >You stand on <b class="font-semibold">{market.asOf ? longMoment(market.asOf) : ''}</b>. {here?.id ===
      'precedents'
        ? 'The night and the morning of the session after it are looked at here; nothing later is known.'
        : 'Nothing later is known: not in the list, not on the charts, not in what is measured.'}</span
    >
    <button class="underline underline-offset-3" onclick={() => standOn(latest() ?? '')}
      >Back to the latest</button
    >
  </div>
{/if}

<svelte:window
  onkeydown={(event) => {
    const command = commandIn(event, 'everywhere')
    if (!command || !(command in STEPS)) return
    const [by, unit] = STEPS[command as keyof typeof STEPS]
    step(by, unit)
  }}
/>

<style>
  label:focus-within {
    outline: 2px solid var(--ember);
    outline-offset: 2px;
  }
  .past {
    background: var(--glow);
    padding: 2px 6px;
    border-radius: 3px;
  }
</style>
