<script lang="ts">
  /** What the book holds on the as-of day, where stops stand tomorrow, and what it orders for the next session. */
  import { sentence, type Schemas } from '$lib/api'
  import { attempt, once } from '$lib/mutation'
  import { csv, download } from '$lib/csv'
  import { day, percent, price, tone, whole } from '$lib/format'
  import { tell } from '$lib/notice.svelte'
  import { bench } from '$lib/desk'
  import { ask, query } from '$lib/queries'
  import { go } from '$lib/router.svelte'
  import { REASONS } from '$lib/constants'

  interface Props {
    asking: Schemas['TodayIn']
    broken: boolean
    reading: boolean
  }
  const { asking, broken, reading }: Props = $props()
  /** The equity of one's own account, to whose size the orders are brought. */
  let account = $state('')
  const own = $derived(amount(account))
  const answer = query(() => ({
    ...ask.bookToday({ ...asking, last: null, account: own }),
    enabled: !broken && !reading,
  }))
  const found = $derived(answer.data ?? null)
  const ACTIONS = { buy: 'Buy', short: 'Sell short', sell: 'Sell', cover: 'Buy back' }
  const exits = $derived((found?.orders ?? []).filter((o) => o.action === 'sell' || o.action === 'cover'))
  const entries = $derived((found?.orders ?? []).filter((o) => o.action === 'buy' || o.action === 'short'))
  const where = (order: Schemas['OrderOut']) =>
    order.at === 'open'
      ? 'at the open'
      : `at ${price(order.at)}, resting ${order.bars === 1 ? 'one bar' : `${order.bars} bars`}`

  /** 80k, 80,000 or 80000; null for what is none. */
  function amount(text: string): number | null {
    const match = /^\s*([\d.,_ ]+)\s*([km])?\s*$/i.exec(text)
    const value = match ? Number(match[1]!.replace(/[,_ ]/g, '')) : NaN
    const times = match?.[2]?.toLowerCase()
    return value > 0 ? value * (times === 'k' ? 1e3 : times === 'm' ? 1e6 : 1) : null
  }

  async function copy(): Promise<void> {
    const text = (found?.orders ?? [])
      .map((o) => `${ACTIONS[o.action]} ${o.shares} ${o.symbol} ${where(o)}`)
      .join('\n')
    await navigator.clipboard.writeText(text)
    tell('The orders are on the clipboard.')
  }

  /** Entries go on the bench; those with a price and a stop as plans, with the shares of the book. */
  const toBench = once(async () => {
    await attempt(['bench'], async () => {
      let plans = 0
      for (const order of entries) {
        const { id, new: fresh } = await bench.put(order.symbol, found!.as_of, null)
        if (order.at === 'open' || order.stop === null || !fresh) continue
        const side = order.action === 'buy' ? ('long' as const) : ('short' as const)
        const { plan } = await bench.plan(id, { as_of: found!.as_of, side, plan: null })
        const kept = {
          ...plan,
          entry: Number(order.at),
          stop: order.stop,
          targets: [],
          shares: Math.floor(order.shares),
        }
        await bench.keepPlan(id, kept, found!.as_of)
        await bench.move(id, 'planned', found!.as_of)
        plans += 1
      }
      tell(`${entries.length} on the bench, ${plans} of them with a plan.`, {
        label: 'Look',
        run: () => go(plans ? '/bench/planned' : '/bench'),
      })
    })
  })

  function save(): void {
    download(
      'orders.csv',
      csv(
        ['Action', 'Symbol', 'Shares', 'At', 'Stop', 'Why'],
        (found?.orders ?? []).map((o) => [ACTIONS[o.action], o.symbol, o.shares, o.at, o.stop, o.why]),
      ),
    )
  }
</script>

{#if broken}
  <p class="text-ink2">Fix the book first.</p>
{:else if answer.error}
  <p role="alert" class="text-loss">{sentence(answer.error)}</p>
{:else if !found}
  <p class="text-ink2">Trading up to the evening …</p>
{:else}
  <div class:waits={answer.isFetching || reading} aria-busy={answer.isFetching || reading}>
    <h2 class="font-title text-[19px]">
      {found.orders.length
        ? `${found.orders.length} order${found.orders.length === 1 ? '' : 's'} for the session after ${day(found.as_of)}`
        : `Nothing to order for the session after ${day(found.as_of)}`}
    </h2>
    <p class="max-w-[75ch] text-[13px] text-ink2">
      As a book would stand that was traded all along{asking.first
        ? ` from ${day(String(asking.first))}`
        : ''}:
      {found.open.length} of {found.slots} slots taken{found.equity === null
        ? ''
        : `, ${whole(found.equity)} of equity`}.
      {#if found.equity === null}Sealed days are traded too; what they made is not told.{/if} Shares are counted
      from the last close; the open decides.
    </p>
    <label class="mt-2 flex items-baseline gap-2 text-[13px] text-ink2"
      >Sized for an account of
      <input
        class="field w-[110px] py-0"
        placeholder={found.equity === null ? 'the book’s own' : whole(found.equity)}
        bind:value={account}
      />
      {#if account.trim() && own === null}<span class="text-loss">An amount of money, such as 80k.</span
        >{/if}</label
    >
    {#if found.orders.length}
      <p class="mt-2 flex gap-4 text-[13px]">
        <button class="link underline underline-offset-3" onclick={copy}>Copy</button>
        <button class="link underline underline-offset-3" onclick={save}>CSV</button>
        {#if entries.length}
          <button class="link underline underline-offset-3" onclick={toBench}
            >Put what it buys on the bench</button
          >
        {/if}
      </p>
      <table class="mt-1 text-[13px]">
        <thead>
          <tr class="border-b border-hair text-ink2">
            <th scope="col" class="text-left font-semibold">Order</th>
            <th scope="col" class="pl-5 text-left font-semibold">Symbol</th>
            <th scope="col" class="pl-5 text-right font-semibold">Shares</th>
            <th scope="col" class="pl-5 text-left font-semibold">Where</th>
            <th scope="col" class="pl-5 text-right font-semibold">Its stop</th>
            <th scope="col" class="pl-5 text-left font-semibold">Why</th>
          </tr>
        </thead>
        <tbody>
          {#each [...exits, ...entries] as order, i (i)}
            <tr class="border-b border-hair/60">
              <td class="py-[3px]">{ACTIONS[order.action]}</td>
              <th scope="row" class="pl-5 text-left font-mono font-semibold">{order.symbol}</th>
              <td class="num pl-5">{whole(order.shares)}</td>
              <td class="pl-5">{where(order)}</td>
              <td class="num pl-5">{price(order.stop)}</td>
              <td class="pl-5 text-ink2"
                >{order.why in REASONS ? REASONS[order.why as keyof typeof REASONS] : `“${order.why}”`}</td
              >
            </tr>
          {/each}
        </tbody>
      </table>
    {/if}
    <h2 class="mt-5 font-title text-[19px]">Open</h2>
    {#if found.open.length === 0}
      <p class="text-[13px] text-ink2">Nothing is held.</p>
    {:else}
      <table class="mt-1 text-[13px]">
        <thead>
          <tr class="border-b border-hair text-ink2">
            <th scope="col" class="text-left font-semibold">Symbol</th>
            <th scope="col" class="pl-5 text-right font-semibold">Shares</th>
            <th scope="col" class="pl-5 text-left font-semibold">Since</th>
            <th scope="col" class="pl-5 text-right font-semibold">Paid</th>
            <th scope="col" class="pl-5 text-right font-semibold">Now</th>
            <th scope="col" class="pl-5 text-right font-semibold">Gain</th>
            <th scope="col" class="pl-5 text-right font-semibold" title="Where it rests on the next bar"
              >Stop tomorrow</th
            >
            <th scope="col" class="pl-5 text-right font-semibold">Targets</th>
            <th scope="col" class="pl-5 text-left font-semibold">Rule</th>
          </tr>
        </thead>
        <tbody>
          {#each found.open as held (held.symbol)}
            <tr class="border-b border-hair/60">
              <th scope="row" class="py-[3px] text-left font-mono font-semibold"
                >{held.symbol}{#if held.side === 'short'}<span
                    class="ml-1 font-sans text-[12px] font-normal text-ink3">short</span
                  >{/if}</th
              >
              <td class="num pl-5">{whole(held.shares)}</td>
              <td class="pl-5 whitespace-nowrap">{day(held.entry_day)}</td>
              <td class="num pl-5">{price(held.entry)}</td>
              <td class="num pl-5">{price(held.price)}</td>
              <td class="num pl-5 {tone(held.gain)}">{percent(held.gain)}</td>
              <td class="num pl-5">{price(held.stop)}</td>
              <td class="num pl-5">{held.targets.map((t) => price(t)).join(', ') || '–'}</td>
              <td class="pl-5 text-ink2"
                >“{held.rule}”{held.due
                  ? `; leaves at the open: ${REASONS[held.due as keyof typeof REASONS]}`
                  : ''}</td
              >
            </tr>
          {/each}
        </tbody>
      </table>
    {/if}
  </div>
{/if}
