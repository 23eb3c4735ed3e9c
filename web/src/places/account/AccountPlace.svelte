<script lang="ts">
  /** One's own account; for staff also everybody's. */
  import { api, sentence } from '$lib/api'
  import { copy } from '$lib/csv'
  import { deskApi } from '$lib/desk'
  import { tell } from '$lib/notice.svelte'
  import PasswordField from '$lib/PasswordField.svelte'
  import { ask, query } from '$lib/queries'
  import Forms from './Forms.svelte'
  import Money from './Money.svelte'
  import People from './People.svelte'

  const session = query(() => ask.session())
  let now = $state('')
  let then = $state('')
  let failed = $state('')
  let busy = $state(false)

  async function everywhere(): Promise<void> {
    busy = true
    try {
      await api.signOutEverywhere()
      location.assign('/')
    } catch (error) {
      failed = sentence(error)
      busy = false
    }
  }

  async function change(event: SubmitEvent): Promise<void> {
    event.preventDefault()
    busy = true
    try {
      await api.changePassword(now, then)
      now = then = failed = ''
      tell('Your password is changed; other browsers have to sign in anew.')
    } catch (error) {
      failed = sentence(error)
    } finally {
      busy = false
    }
  }

  async function calendar(ask: () => Promise<{ address: string }>): Promise<void> {
    busy = true
    failed = ''
    try {
      const { address } = await ask()
      tell((await copy(address)) ? 'The calendar’s address is on the clipboard.' : `Subscribe to ${address}`)
    } catch (error) {
      failed = sentence(error)
    } finally {
      busy = false
    }
  }
</script>

<section class="h-full overflow-auto">
  <div class="mx-auto max-w-[760px] px-6 py-5">
    <h1 class="font-title text-[26px]">Account</h1>
    <p class="text-ink2">
      You are signed in as <span class="font-semibold text-ink">{session.data?.name ?? '…'}</span>{session
        .data?.staff
        ? ', who may add and remove others'
        : ''}.
    </p>
    <Money />
    <Forms />
    <h2 class="mt-6 font-title text-[19px]">Password</h2>
    <form class="mt-2 flex flex-wrap items-end gap-3 text-[13px]" onsubmit={change}>
      <div>
        <span aria-hidden="true">current password</span><br />
        <PasswordField class="w-56" label="Current password" bind:value={now} />
      </div>
      <div>
        <span aria-hidden="true">new password, at least 12 characters</span><br />
        <PasswordField class="w-56" label="New password" chosen bind:value={then} />
      </div>
      <button class="act" disabled={busy}>Change password</button>
    </form>
    <h2 class="mt-6 font-title text-[19px]">Other browsers</h2>
    <p class="mt-1 text-[13px] text-ink2">
      If you have left a browser signed in somewhere, or lost a device, end every session of this account.
    </p>
    <button class="quiet mt-2 text-[13px]" disabled={busy} onclick={everywhere}>Sign out everywhere</button>
    <h2 class="mt-6 font-title text-[19px]">Calendar</h2>
    <p class="mt-1 text-[13px] text-ink2">
      Reports of what is on your lists, and announcements, at an address that a calendar program reads without
      signing in: who knows it sees them. It ends with this account, and when you sign out everywhere.
    </p>
    <p class="mt-2 flex gap-3 text-[13px]">
      <button class="quiet" disabled={busy} onclick={() => calendar(deskApi.calendar)}>Copy address</button>
      <button class="quiet" disabled={busy} onclick={() => calendar(deskApi.endCalendar)}
        >End it, and copy a new one</button
      >
    </p>
    {#if failed}<p role="alert" class="mt-2 text-loss">{failed}</p>{/if}
    {#if session.data?.staff}<People me={session.data.name ?? ''} />{/if}
  </div>
</section>
