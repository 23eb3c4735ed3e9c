<script lang="ts">
  /** How numbers and days are written and read; how near is near; notifications. */
  import { day, fixed } from '$lib/format'
  import NumberField from '$lib/NumberField.svelte'
  import { allowed, askPermission, supported } from '$lib/notifications'
  import { choose, preferences } from '$lib/preferences.svelte'
  import type { Schemas } from '$lib/api'

  type Account = Schemas['AccountChoice']
  const account = $derived(preferences.now.account)
  const set = (change: Partial<Account>) => choose({ account: { ...preferences.now.account, ...change } })
  const DATES: NonNullable<Account['dates']>[] = [
    '28 Jun 2024',
    '2024-06-28',
    '28.06.2024',
    '28/06/2024',
    '06/28/2024',
  ]
  let refused = $state('')

  async function notify(on: boolean): Promise<void> {
    refused = ''
    if (on && !(await askPermission())) {
      refused =
        'The browser does not allow it. Allow notifications of this page in its settings, and try again.'
      on = false
    }
    choose({ notify: on })
  }
</script>

<h2 class="mt-6 font-title text-[19px]">Numbers and days</h2>
<div
  class="mt-2 grid max-w-[700px] grid-cols-[170px_190px_minmax(0,1fr)] items-baseline gap-x-3 gap-y-1.5 text-[13px]"
>
  <label for="account-decimals">Decimal sign</label>
  <select
    id="account-decimals"
    class="field"
    value={account.decimals}
    onchange={(event) => set({ decimals: event.currentTarget.value as NonNullable<Account['decimals']> })}
  >
    <option value="">not chosen: asked where unclear</option>
    <option value="point">point, 1,234.50</option>
    <option value="comma">comma, 1.234,50</option>
  </select>
  <span class="text-ink2">shown as {fixed(1234.5)}; typed in any way: 13,20, 13.20, 1.5k, 2m</span>
  <label for="account-dates">Days</label>
  <select
    id="account-dates"
    class="field"
    value={account.dates}
    onchange={(event) => set({ dates: event.currentTarget.value as NonNullable<Account['dates']> })}
  >
    {#each DATES as form (form)}<option value={form}>{form}</option>{/each}
  </select>
  <span class="text-ink2">shown as {day('2024-06-03')}</span>
</div>
<h2 class="mt-6 font-title text-[19px]">Alerts on positions</h2>
<div class="mt-2 flex flex-col gap-1.5 text-[13px]">
  <p>
    A stop or a target is near within
    <NumberField
      class="field num w-16 py-0"
      label="Near, in ATR"
      min={0}
      max={5}
      step={0.1}
      value={account.near ?? 0.5}
      onvalue={(value) => value !== null && set({ near: value })}
    />
    ATR of it; told once an approach, 0 for never. A stop that is met or gapped through is always told.
  </p>
  <p>
    <label
      ><input
        type="checkbox"
        class="tick"
        disabled={!supported()}
        checked={(preferences.now.notify ?? false) && allowed()}
        onchange={(event) => void notify(event.currentTarget.checked)}
      />
      also show alerts and what happens to positions as notifications of this browser, while a page is open</label
    >
  </p>
  {#if refused}<p role="alert" class="text-loss">{refused}</p>{/if}
  {#if !supported()}<p class="text-ink3">This browser has no notifications.</p>{/if}
</div>
