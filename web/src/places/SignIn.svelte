<script lang="ts">
  import { untrack } from 'svelte'
  import { api, sentence } from '$lib/api'
  import PasswordField from '$lib/PasswordField.svelte'

  interface Props {
    trouble: string
    /** Whose session ended in the middle of work; "" where nobody was here. */
    again?: string
    onsigned: (name: string | null) => void
  }
  const { trouble, again = '', onsigned }: Props = $props()
  let name = $state(untrack(() => again))
  let password = $state('')
  let failed = $state('')
  let busy = $state(false)

  async function enter(event: SubmitEvent): Promise<void> {
    event.preventDefault()
    busy = true
    failed = ''
    try {
      onsigned((await api.signIn(name, password)).name ?? null)
    } catch (error) {
      failed = sentence(error)
    } finally {
      busy = false
    }
  }
</script>

<main class="m-auto w-[340px] pb-24">
  <svg viewBox="0 0 16 24" class="h-12" aria-hidden="true">
    <path d="M8 1v8" stroke="var(--ember)" stroke-width="2" />
    <rect x="3" y="9" width="10" height="13" rx="1.5" fill="none" stroke="currentColor" stroke-width="1.6" />
  </svg>
  <h1 class="mt-4 font-title text-4xl">Upper Wick</h1>
  <p class="mt-2 text-ink2">
    {#if again}
      Your session has ended. Sign in again, and everything goes on where it was; nothing you wrote is lost.
    {:else}
      Write a rule, see what it leaves, look, and measure what followed.
    {/if}
  </p>
  <form class="mt-8 flex flex-col gap-3" onsubmit={enter}>
    <label class="flex flex-col gap-1">
      Name
      <!-- svelte-ignore a11y_autofocus -->
      <input class="field py-1.5" autocomplete="username" bind:value={name} required autofocus={!again} />
    </label>
    <div class="flex flex-col gap-1">
      <span aria-hidden="true">Password</span>
      <PasswordField
        class="py-1"
        label="Password"
        bind:value={password}
        attach={(field) => {
          if (again) field.focus()
        }}
      />
    </div>
    {#if failed || trouble}
      <p role="alert" class="text-loss">{failed || trouble}</p>
    {/if}
    <button class="act mt-2 self-start px-5 py-1.5" disabled={busy}
      >{busy ? 'Signing in …' : 'Sign in'}</button
    >
  </form>
</main>
