<script lang="ts">
  /** Under the plan: whether the clock has it, what waits, what is held and what a stop may follow to. */
  import { attempt } from '$lib/mutation'
  import { fixed, moment, money, percent, price, tone, whole } from '$lib/format'
  import { bench, type BenchItem, type Position } from '$lib/desk'
  import { market } from '$lib/market.svelte'
  import { tell } from '$lib/notice.svelte'
  import Rail from '$lib/Rail.svelte'
  import { go } from '$lib/router.svelte'
  import Notices from './Notices.svelte'
  import type { Planning } from './planning.svelte'

  interface Props {
    item: BenchItem
    position: Position
    planning: Planning
    onfill: () => void
  }
  const { item, position, planning, onfill }: Props = $props()
  const held = $derived(position.holding && position.holding.shares > 0 ? position.holding : null)
  let busy = $state(false)

  async function clock(on: boolean, leaves: boolean, said: string): Promise<void> {
    busy = true
    const asked = { on, leaves, as_of: market.asOf }
    if (await attempt(['bench', 'alerts'], () => bench.clock(item.id, asked), 'shown')) tell(said)
    busy = false
  }

  async function moveStop(stop: number): Promise<void> {
    planning.change({ stop })
    await planning.keep(item.symbol)
  }
</script>

<div class="border-b border-hair px-4 py-1.5 text-[13px]" role="group" aria-label="Position of {item.symbol}">
  <Notices notices={position.notices} />
  {#if held && position.stop === null && !position.clock}
    <p class="font-semibold text-loss" role="status">
      No stop is saved: nothing is watched, and all of it is at risk. Save the plan above, or change its stop
      first.
    </p>
  {/if}
  {#if held && position.rail}
    <p class="flex flex-wrap items-center gap-x-3 gap-y-1">
      <span
        >Holding <b class="num">{whole(held.shares)}</b>{held.side === 'short' ? ' short' : ''} at
        <b class="num">{price(held.entry)}</b>
        since {moment(held.first_day)}</span
      >
      <Rail rail={position.rail} />
      {#if held.r !== null}<b class="num {tone(held.r)}">{held.r > 0 ? '+' : ''}{fixed(held.r, 1)} R</b>{/if}
      <span class="num {tone(held.unrealised)}">{money(held.unrealised, true)}</span>
      <span class="num {tone(position.rail.gain)}">{percent(position.rail.gain)}</span>
      <span class="text-ink2"
        >{money(position.rail.at_risk)} at risk{position.stop === null ? ', without a stop' : ''}</span
      >
      {#if held.realised}<span class="text-ink2">{whole(held.realised)} realised, costs in it</span>{/if}
    </p>
  {:else if position.holding && position.rail}
    <p class="flex flex-wrap items-center gap-x-3">
      <span>Closed at <b class="num {tone(position.rail.result)}">{whole(position.rail.result)}</b></span>
      {#if position.rail.r !== null}<b class="num {tone(position.rail.r)}">{fixed(position.rail.r, 1)} R</b
        >{/if}
    </p>
  {/if}
  {#if position.rule && held}
    <p class="text-ink2">
      <button class="link" onclick={() => go(`/rules/${position.rule!.id}`)}>{position.rule.name}</button>
      {position.rule.trouble
        ? `cannot be asked: ${position.rule.trouble}`
        : position.rule.hit
          ? 'still hits it today.'
          : 'does not hit it today.'}
    </p>
  {/if}
  {#if position.proposed}
    <p>
      {position.stop === null ? 'A stop might stand at' : 'The stop may follow to'}
      <b class="num">{price(position.proposed.price)}</b>, {position.proposed.why}.
      <button
        class="link"
        disabled={busy || planning.working}
        onclick={() => moveStop(position.proposed!.price)}
        >{position.stop === null ? 'Save it' : 'Move it'}</button
      >
    </p>
  {/if}
  <p class="flex flex-wrap items-baseline gap-x-4 gap-y-1">
    {#if position.waits}
      <span><b>Order on paper:</b> {position.waits}.</span>
      <button
        class="link"
        disabled={busy}
        onclick={() => clock(false, false, `${item.symbol} is no longer traded on paper.`)}
        >Stop trading on paper</button
      >
    {:else if held && position.clock}
      <span class="text-ink2"
        >Traded on paper{position.stop === null ? '' : `; its stop rests at ${price(position.stop)}`}.</span
      >
      {#if position.leaves}
        <b>It is closed at the next open.</b>
        <button
          class="link"
          disabled={busy}
          onclick={() => clock(true, false, `${item.symbol} is not closed at the next open.`)}
          >Let it stand</button
        >
      {:else}
        <button
          class="quiet"
          disabled={busy}
          onclick={() => clock(true, true, `${item.symbol} is closed at the next open.`)}
          >Close it at the next open</button
        >
      {/if}
      <button
        class="link"
        disabled={busy}
        onclick={() => clock(false, false, `${item.symbol} is held by hand now.`)}
        >Stop trading on paper</button
      >
    {:else}
      {#if !held && item.stage !== 'closed'}
        <button
          class="quiet"
          disabled={busy || !planning.now?.kept || planning.tried !== null}
          title={planning.now?.kept && !planning.tried ? undefined : 'Save the plan first'}
          onclick={() => clock(true, false, `The plan for ${item.symbol} is traded on paper.`)}
          >Trade on paper</button
        >
      {/if}
      <button class="quiet" onclick={onfill}>{held ? 'Bought or sold …' : 'Bought …'}</button>
      {#if !held && item.stage !== 'closed'}<span class="text-ink3"
          >on paper it fills as a book’s order would; what was really bought is entered by hand</span
        >{/if}
    {/if}
  </p>
</div>
