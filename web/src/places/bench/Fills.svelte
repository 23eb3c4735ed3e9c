<script lang="ts">
  /** What was bought and sold, on paper or by hand; and the form that enters a real fill. */
  import { tick, untrack } from 'svelte'
  import { sentence } from '$lib/api'
  import { hush } from '$lib/notice.svelte'
  import { attempt, once, undoable } from '$lib/mutation'
  import { moment, price, whole } from '$lib/format'
  import { bench, type BenchItem, type FillIn, type Position } from '$lib/desk'
  import { market } from '$lib/market.svelte'
  import NumberField from '$lib/NumberField.svelte'
  import { forget } from '$lib/queries'

  interface Props {
    item: BenchItem
    position: Position
    /** Whether the form is open. */
    entering: boolean
  }
  let { item, position, entering = $bindable() }: Props = $props()
  const held = $derived(position.holding && position.holding.shares > 0 ? position.holding : null)
  const ABOUT = ['bench', 'alerts']
  const WORDS: Record<string, string> = {
    buy: 'bought',
    sell: 'sold',
    short: 'sold short',
    cover: 'bought back',
  }
  const WHY: Record<string, string> = {
    stop: 'stop',
    follow: 'trailing stop',
    target: 'target',
    exit: 'at the open',
    delisted: 'delisted',
  }
  const actions = $derived(
    (held
      ? held.side === 'long'
        ? ['buy', 'sell']
        : ['short', 'cover']
      : ['buy', 'short']) as FillIn['action'][],
  )
  let action = $state<FillIn['action']>('buy')
  let shares = $state<number | null>(null)
  let at = $state<number | null>(null)
  let cost = $state<number | null>(null)
  let [day, trouble] = $state(['', ''])
  let first: HTMLSelectElement | undefined = $state()
  $effect(() => {
    if (entering) untrack(begin) // once: what is fetched meanwhile takes nothing from under a typist
  })
  function begin(): void {
    action = held ? actions[1]! : 'buy'
    shares = held ? held.shares : null
    at = item.close === null ? null : Number(item.close.toFixed(2))
    cost = null
    day = (market.asOf ?? position.day).slice(0, 10)
    trouble = ''
    void tick().then(() => first?.focus())
  }

  const enter = once(async () => {
    hush()
    const { id: of, symbol } = item // by the answer's time it may be another that is in view
    if (shares === null || at === null) {
      trouble = shares === null ? 'How many shares?' : 'At what price?'
      return
    }
    const asked = {
      action,
      shares,
      price: at,
      cost: cost ?? 0,
      day,
    }
    try {
      const { id, warning } = await bench.fill(of, asked)
      entering = false
      undoable(
        `${symbol}: ${WORDS[asked.action]} ${whole(asked.shares)} at ${price(asked.price)}.${warning ? ` ${warning}` : ''}`,
        ABOUT,
        () => bench.strike(of, id),
      )
      void forget(...ABOUT)
    } catch (error) {
      trouble = sentence(error)
    }
  })

  async function strike(id: number): Promise<void> {
    const of = item.id
    await attempt(ABOUT, async () => {
      await bench.strike(of, id)
      undoable('The fill is deleted.', ABOUT, () => bench.restoreFill(of, id))
    })
  }
</script>

<svelte:window
  onkeydown={(event) => {
    if (entering && event.key === 'Escape') entering = false
  }}
/>
{#if entering}
  <form
    class="mt-3 mb-4 grid grid-cols-2 gap-x-3 gap-y-1.5"
    onsubmit={enter}
    aria-label="A fill of {item.symbol}"
  >
    <label class="text-ink2"
      >what<select class="field w-full" bind:this={first} bind:value={action}>
        {#each actions as one (one)}<option value={one}>{WORDS[one]}</option>{/each}
      </select></label
    >
    <label class="text-ink2"
      >shares<NumberField
        class="field num w-full"
        label="shares"
        min={0}
        step={1}
        live
        empty
        required
        value={shares}
        onvalue={(value) => (shares = value)}
      /></label
    >
    <label class="text-ink2"
      >price<NumberField
        class="field num w-full"
        label="price"
        min={0}
        step={0.01}
        live
        empty
        required
        value={at}
        onvalue={(value) => (at = value)}
      /></label
    >
    <label class="text-ink2"
      >costs<NumberField
        class="field num w-full"
        label="costs"
        min={0}
        step={0.01}
        live
        empty
        placeholder="0"
        value={cost}
        onvalue={(value) => (cost = value)}
      /></label
    >
    <label class="text-ink2"
      >day<input
        class="field w-full"
        type="date"
        required
        max={market.asOf?.slice(0, 10)}
        bind:value={day}
      /></label
    >
    <span class="flex items-end gap-3"
      ><button class="act" disabled={position.clock}>Save fill</button>
      <button type="button" class="link" onclick={() => (entering = false)}>Cancel</button></span
    >
    {#if position.clock}<p role="alert" class="col-span-2 text-loss">
        {item.symbol} is traded on paper: stop that to enter what was really bought or sold.
      </p>
    {:else if trouble}<p role="alert" class="col-span-2 text-loss">{trouble}</p>{/if}
  </form>
{/if}
{#if position.fills.length}
  <h2 class="mt-4 font-title text-[16px]">Fills</h2>
  <table class="mt-1 w-full" aria-label="Fills of {item.symbol}">
    <tbody>
      {#each position.fills as one (one.id)}
        <tr class="border-b border-hair/60 align-baseline">
          <td class="py-[3px] whitespace-nowrap text-ink2">{moment(one.moment)}</td>
          <td>{WORDS[one.action]}{WHY[one.reason] ? `, ${WHY[one.reason]}` : ''}</td>
          <td class="num">{whole(one.shares)}</td>
          <td class="num">{price(one.price)}</td>
          <td class="w-4 text-right"
            >{#if !one.paper}<button class="link" aria-label="Delete this fill" onclick={() => strike(one.id)}
                >×</button
              >{/if}</td
          >
        </tr>
      {/each}
    </tbody>
  </table>
  {#if position.holding}
    <p class="mt-1 text-[12px] text-ink3">
      costs {price(position.holding.costs)}{position.holding.received
        ? `, dividends ${price(position.holding.received)}`
        : ''}{position.fills.some((one) => one.paper) ? '; on paper' : '; by hand'}
    </p>
  {/if}
{/if}
