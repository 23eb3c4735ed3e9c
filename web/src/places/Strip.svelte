<script lang="ts">
  import LogOut from '@lucide/svelte/icons/log-out'
  import Moon from '@lucide/svelte/icons/moon'
  import Sun from '@lucide/svelte/icons/sun'
  import { api } from '$lib/api'
  import { isCommand } from '$lib/keys'
  import { longDay } from '$lib/format'
  import { latest, market, standOn, step } from '$lib/market.svelte'
  import { go, referenceOf, route } from '$lib/router.svelte'
  import { theme, toggleTheme } from '$lib/theme.svelte'

  interface Props {
    who: string
    onout: () => void
    onkeys: () => void
  }
  const { who, onout, onkeys }: Props = $props()
  const sessions = $derived(market.now?.sessions ?? [])
  const past = $derived(market.asOf !== null && market.asOf !== latest())
  const here = $derived(referenceOf(route.path) === null)
  // Shift makes a session a week; a brace is a bracket with Shift on many keyboards, so a month has keys of its own.
  const KEYS = { day: ['[', ']'], week: ['{', '}'], month: ['<', '>'] } as const
  let picker: HTMLInputElement | undefined = $state()

  async function leave(): Promise<void> {
    await api.signOut()
    onout()
  }
</script>

<header class="flex h-[44px] shrink-0 items-center gap-6 border-b border-hair px-4">
  <a
    href="/rules"
    class="flex items-center gap-2"
    onclick={(event) => {
      event.preventDefault()
      go('/rules')
    }}
  >
    <svg viewBox="0 0 16 24" class="h-6" aria-hidden="true">
      <path d="M8 1v8" stroke="var(--ember)" stroke-width="2" />
      <rect x="3" y="9" width="10" height="13" rx="1.5" fill="none" stroke="currentColor" stroke-width="2" />
    </svg>
    <span class="font-title text-[21px] leading-none">Upper Wick</span>
  </a>
  <nav aria-label="Places" class="flex h-full">
    <a
      href="/rules"
      aria-current={here ? 'page' : undefined}
      class="grid h-full place-items-center border-b-2 px-1 pt-[2px] {here
        ? 'border-ember font-semibold'
        : 'border-transparent text-ink2'}"
      onclick={(event) => {
        event.preventDefault()
        go('/rules')
      }}>Rules</a
    >
  </nav>
  {#if market.now?.invented}
    <span
      class="text-[13px] text-ink3"
      title="An island exchange invented from end to end: its companies, indices and prices exist nowhere."
      >demo market: all invented</span
    >
  {/if}
  {#if market.now?.compiling.length}
    <span class="text-[13px] text-ink2" role="status"
      >Compiling {market.now.compiling.includes('patterns') ? 'the chart patterns' : 'the rarer measures'},
      once: a rule that needs them may have to wait a minute.</span
    >
  {/if}
  <div class="ml-auto flex items-center gap-1" class:past>
    {#each [['month', '‹‹‹'], ['week', '‹‹'], ['day', '‹']] as const as [unit, sign] (unit)}
      <button
        class="px-1 text-[17px] leading-none text-ink2 hover:text-ink disabled:opacity-40"
        aria-label="One {unit === 'day' ? 'session' : unit} back"
        title="One {unit === 'day' ? 'session' : unit} back ({KEYS[unit][0]})"
        disabled={market.asOf === sessions[0]}
        onclick={() => step(-1, unit)}>{sign}</button
      >
    {/each}
    <label class="relative cursor-pointer">
      {past ? 'standing on' : 'evening of'}
      <span class="font-semibold">{market.asOf ? longDay(market.asOf) : '–'}</span>
      <input
        bind:this={picker}
        type="date"
        aria-label="The evening to stand on"
        class="absolute inset-0 cursor-pointer opacity-0"
        value={market.asOf}
        min={sessions[0]}
        max={latest()}
        onclick={() => picker?.showPicker?.()}
        onchange={(event) => standOn(event.currentTarget.value)}
      />
    </label>
    {#each [['day', '›'], ['week', '››'], ['month', '›››']] as const as [unit, sign] (unit)}
      <button
        class="px-1 text-[17px] leading-none text-ink2 hover:text-ink disabled:opacity-40"
        aria-label="One {unit === 'day' ? 'session' : unit} forward"
        title="One {unit === 'day' ? 'session' : unit} forward ({KEYS[unit][1]})"
        disabled={!past}
        onclick={() => step(1, unit)}>{sign}</button
      >
    {/each}
  </div>
  <div class="flex items-center gap-3 text-ink2">
    <a
      href="/reference"
      class="link {here ? '' : 'font-semibold text-ink'}"
      aria-current={here ? undefined : 'page'}
      title="Every name of the rule language (g w)"
      onclick={(event) => {
        event.preventDefault()
        go('/reference')
      }}>Reference</a
    >
    <button class="link" onclick={onkeys} title="The list of keys (?)"><kbd>?</kbd> keys</button>
    <button
      class="p-1 hover:text-ink"
      aria-label={theme.now === 'dark' ? 'Light theme' : 'Dark theme'}
      title={theme.now === 'dark' ? 'Light theme' : 'Dark theme'}
      onclick={toggleTheme}
    >
      {#if theme.now === 'dark'}<Sun size={16} />{:else}<Moon size={16} />{/if}
    </button>
    <button class="p-1 hover:text-ink" aria-label="Sign out {who}" title="Sign out {who}" onclick={leave}>
      <LogOut size={16} />
    </button>
  </div>
</header>

{#if past}
  <div role="status" class="flex shrink-0 items-center gap-3 bg-glow px-4 py-0.5 text-[13px]">
    <span
      >You stand on <b class="font-semibold">{market.asOf ? longDay(market.asOf) : ''}</b>. Nothing later is
      known: not in the list, not on the charts, not in what is measured.</span
    >
    <button class="underline underline-offset-3" onclick={() => standOn(latest() ?? '')}
      >Back to the latest</button
    >
  </div>
{/if}

<svelte:window
  onkeydown={(event) => {
    if (!isCommand(event)) return
    for (const unit of ['day', 'week', 'month'] as const) {
      if (event.key === KEYS[unit][0]) step(-1, unit)
      if (event.key === KEYS[unit][1]) step(1, unit)
    }
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
