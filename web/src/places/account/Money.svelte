<script lang="ts">
  /** What plans, positions, studies and new books reckon with. */
  import { attempt, undoable } from '$lib/mutation'
  import { day, money } from '$lib/format'
  import NumberField from '$lib/NumberField.svelte'
  import { choose, preferences } from '$lib/preferences.svelte'
  import { tell } from '$lib/notice.svelte'
  import { forget } from '$lib/queries'
  import type { Schemas } from '$lib/api'

  type Account = Schemas['AccountChoice']
  type Deposit = Schemas['DepositChoice']
  const account = $derived(preferences.now.account)

  function set(change: Partial<Account>, changes = ''): void {
    choose({ account: { ...preferences.now.account, ...change } })
    if (changes) tell(changes)
    setTimeout(() => void forget('bench', 'alerts'), 400) // once it is kept
  }
  const share = (value: number) => Number((value * 100).toFixed(4))
  /** Each share of the account: its field, what it bounds, what changing it changes. */
  const SHARES = [
    ['risk', 'Risk a trade', '% of the account', 'what one plan may lose at its stop: plans are sized by it', 0.01, 50],
    ['most', 'One position', '% of the account at most', 'caps the size of a plan', 0.1, 1000],
    ['of_day', 'One position', '% of a usual day’s money at most', 'caps the size of a plan', 0.01, 100],
    ['sector', 'One sector', '% of the account at most', 'warns of a plan beyond it', 0.1, 1000],
    ['open_risk', 'All stops together', '% of the account at most', 'warns of a plan, and on the desk, beyond it', 0.1, 100],
  ] as const // prettier-ignore

  let amount = $state<number | null>(null)
  let note = $state('')
  let on = $state(new Date().toISOString().slice(0, 10))
  const deposits = $derived(account.deposits ?? [])

  function deposit(event: SubmitEvent): void {
    event.preventDefault()
    if (!amount || !account.size) return
    const one: Deposit = { day: on, amount, note }
    const size = Math.max(1, account.size + amount)
    const before = $state.snapshot(account) as Account
    set({ deposits: [...deposits, one].sort((a, b) => a.day.localeCompare(b.day)), size })
    undoable(
      `${amount > 0 ? 'Deposit' : 'Withdrawal'} of ${money(Math.abs(amount))}: the account’s size is ${money(size)} now.`,
      ['bench', 'alerts'],
      async () => choose({ account: before }),
    )
    amount = null
    note = ''
  }
  function remove(i: number): void {
    const one = deposits[i]!
    const before = $state.snapshot(account) as Account
    void attempt(['bench', 'alerts'], async () => {
      set({
        deposits: deposits.filter((_, at) => at !== i),
        size: Math.max(1, (account.size ?? one.amount) - one.amount),
      })
      undoable('The deposit is removed, and the account’s size without it.', ['bench', 'alerts'], async () =>
        choose({ account: before }),
      )
    })
  }
</script>

<h2 class="mt-6 font-title text-[19px]">Money</h2>
<p class="mt-1 max-w-[70ch] text-[13px] text-ink2">
  Plans, positions and the desk reckon with these from now on. A book and a plan on paper keep the costs that
  were written into them when they were made.
</p>
<div
  class="mt-2 grid max-w-[700px] grid-cols-[170px_120px_minmax(0,1fr)] items-baseline gap-x-3 gap-y-1.5 text-[13px]"
>
  <span>Size</span>
  <NumberField
    class="field num w-[120px]"
    label="Size of the account"
    min={1}
    max={1e12}
    step={1000}
    empty
    placeholder="100000"
    value={account.size ?? null}
    onvalue={(size) => set({ size }, size === null ? '' : `Plans are sized for ${money(size)} now.`)}
  />
  <span class="text-ink2"
    >of the account; {account.size === null
      ? 'never set: 100,000 is reckoned with'
      : 'sizes of plans follow it'}</span
  >
  <label for="account-currency">Currency</label>
  <input
    id="account-currency"
    class="field w-[120px]"
    maxlength="8"
    placeholder="EUR"
    value={account.currency}
    onchange={(event) => set({ currency: event.currentTarget.value.trim() })}
  />
  <span class="text-ink2"
    >of all of the account; instruments that are known to be in another are left out of totals, which say so</span
  >
  {#each SHARES as [key, label, unit, what, min, max] (key)}
    <span>{label}</span>
    <NumberField
      class="field num w-[120px]"
      label="{label}, {unit}"
      {min}
      {max}
      step={0.1}
      value={share(account[key] ?? 0)}
      onvalue={(value) => value !== null && set({ [key]: value / 100 }, `From now on it ${what}.`)}
    />
    <span class="text-ink2">{unit}: {what}</span>
  {/each}
  <span>Costs</span>
  <NumberField
    class="field num w-[120px]"
    label="Costs, percent a side"
    min={0}
    max={10}
    step={0.01}
    value={share(account.cost ?? 0)}
    onvalue={(value) =>
      value !== null && set({ cost: value / 100 }, 'New studies, books and plans on paper reckon with it.')}
  />
  <span class="text-ink2">% a side: what a new study, book or plan on paper begins with</span>
</div>
<h3 class="mt-4 text-[14px] font-semibold">Deposits and withdrawals</h3>
<form class="mt-1 flex flex-wrap items-baseline gap-2 text-[13px]" onsubmit={deposit}>
  <input class="field py-0" type="date" aria-label="Day of the deposit" required bind:value={on} />
  <NumberField
    class="field num w-28 py-0"
    label="Amount"
    placeholder="5000, or −2000"
    empty
    live
    value={amount}
    onvalue={(value) => (amount = value)}
  />
  <input
    class="field min-w-0 flex-1 py-0"
    maxlength="200"
    placeholder="a note"
    aria-label="Note"
    bind:value={note}
  />
  <button
    class="quiet"
    disabled={!amount || !account.size}
    title={account.size ? undefined : 'Set the size of the account first'}
    >{(amount ?? 0) < 0 ? 'Withdraw' : 'Deposit'}</button
  >
</form>
{#if deposits.length}
  <table class="mt-2 text-[13px]" aria-label="Deposits and withdrawals">
    <tbody>
      {#each deposits as one, i (i)}
        <tr class="border-b border-hair/60">
          <td class="pr-6">{day(one.day)}</td>
          <td class="num pr-6">{money(one.amount, true)}</td>
          <td class="pr-6 text-ink2">{one.note}</td>
          <td
            ><button class="link" aria-label="Remove the deposit of {day(one.day)}" onclick={() => remove(i)}
              >×</button
            ></td
          >
        </tr>
      {/each}
    </tbody>
  </table>
{/if}
