<script lang="ts">
  /** The plan as a sentence, each underlined part a control. */
  import { type Schemas } from '$lib/api'
  import { setAlert } from '$lib/alerting'
  import DayPick from '$lib/DayPick.svelte'
  import { fixed, percent, price, whole } from '$lib/format'
  import { type PlanIn } from '$lib/desk'
  import { market } from '$lib/market.svelte'
  import NumberField from '$lib/NumberField.svelte'
  import PlanTargets from './PlanTargets.svelte'
  import type { Planning } from './planning.svelte'

  interface Props {
    planning: Planning
    symbol: string
    /** Something of it is held: its entry is what was paid. */
    held: boolean
  }
  const { planning, symbol, held }: Props = $props()
  const plan = $derived(planning.now)
  const levels = $derived(planning.levels)
  const LIMITS: Record<string, string> = {
    account: 'capped by the most that one position may take',
    liquidity: 'capped by a share of a usual day’s money',
    hand: 'by hand',
    held: '',
    risk: '',
  }
  function take(one: Schemas['ChoiceOut']): void {
    if (one.level !== 'target') planning.change({ [one.level]: one.price })
    else if (levels?.targets?.length) planning.target(levels.targets.length - 1, { price: one.price })
    else planning.change({ targets: [{ price: one.price, part: 1 }] })
  }

  const before = $derived(plan?.before ?? 0)
  async function tellBefore(): Promise<void> {
    await setAlert({
      kind: 'price',
      symbol,
      level: before,
      way: levels!.side === 'long' ? 'up' : 'down',
      note: `Planned: ${levels!.side === 'long' ? 'buy' : 'sell short'} at ${levels!.entry}, stop ${levels!.stop}.`,
    })
  }
</script>

{#snippet stop(levels: PlanIn)}<NumberField
    class="inline-pick num text-left!"
    step={0.01}
    min={0.0001}
    label="Stop"
    value={levels.stop}
    onvalue={(value) => value !== null && planning.change({ stop: value })}
  />{/snippet}

{#if planning.trouble && !plan}
  <p class="px-4 py-2 text-[13px] text-ink2">{planning.trouble}</p>
{:else if plan && levels}
  <div class="border-b border-hair px-4 py-2" aria-label="The plan" role="group">
    <p class="font-title text-[19px] leading-normal" class:waits={planning.working}>
      {#if held}
        {#if !plan.kept && !planning.tried}<span class="text-ink2 italic">Proposed, not saved: out</span
          >{:else}Out{/if}
        {levels.side === 'long' ? 'under' : 'over'}
        {@render stop(levels)}<PlanTargets {planning} {levels} />. {#if plan.size.lost > 0}The stop would cost <b
            class="text-loss">{whole(plan.size.lost)}</b
          >, {percent(plan.size.lost_share, 1, false)} of the account.{:else}The stop would leave
          <b class="text-gain">{whole(-plan.size.lost)}</b>.{/if}
      {:else}
        <select
          class="inline-pick"
          aria-label="Side of the plan"
          value={levels.side}
          onchange={(event) => planning.turn(event.currentTarget.value as 'long' | 'short')}
        >
          <option value="long">Buy</option>
          <option value="short">Sell short</option>
        </select>
        <NumberField
          class="inline-pick num text-left!"
          min={0}
          empty
          label="Shares"
          value={levels.shares ?? plan.size.shares}
          onvalue={(value) => planning.change({ shares: value === null ? null : Math.round(value) })}
        />
        if it trades at
        <NumberField
          class="inline-pick num text-left!"
          step={0.01}
          min={0.0001}
          label="Entry"
          value={levels.entry}
          onvalue={(value) => value !== null && planning.change({ entry: value })}
        />, until
        <DayPick
          bind:value={() => levels.until, (value) => planning.change({ until: value })}
          label="Last day of the plan"
          empty="no end"
          min={market.asOf?.slice(0, 10)}
        />. Out {levels.side === 'long' ? 'under' : 'over'}
        {@render stop(levels)}<PlanTargets {planning} {levels} />. That risks
        <b class="text-loss">{whole(plan.size.lost)}</b>, {percent(plan.size.lost_share, 1, false)} of the account{#if plan.size.rs.length},
          for <b class="text-gain">{plan.size.rs.map((r) => fixed(r, 1)).join(' and ')} R</b>{/if}.
      {/if}
    </p>
    <p class="mt-0.5 flex flex-wrap items-baseline gap-x-4 gap-y-1 text-[13px] text-ink2">
      {#if planning.tried}<button class="act" onclick={() => planning.keep(symbol)}>Save plan</button>
        <button class="link" onclick={() => (planning.tried = null)}>Discard</button>
      {:else if plan.kept}<span>saved</span>
        <button class="link" onclick={() => planning.drop(symbol)}>Delete plan</button>
      {:else}<button class="act" onclick={() => planning.keep(symbol)}>Save plan</button>
        <span class={held ? 'font-semibold text-loss' : ''}
          >{held ? 'no stop is watched until it is saved' : 'proposed'}</span
        >{/if}
      {#if !held}<button class="link" onclick={tellBefore}>Alert at {price(before)}</button>{/if}
      <span
        >{percent(plan.size.share, 0, false)} of {whole(plan.account)}{#if plan.size.of_day !== null}, {percent(
            plan.size.of_day,
            1,
            false,
          )} of a day’s money{/if}{LIMITS[plan.size.limit]
          ? `, ${LIMITS[plan.size.limit]}`
          : ''}{#if levels.shares !== null && levels.shares !== undefined && plan.computed !== levels.shares};
          the risk allows <button
            class="underline underline-offset-3"
            onclick={() => planning.change({ shares: null })}>{whole(plan.computed)}</button
          >{/if}</span
      >
    </p>
    {#if planning.trouble}<p role="alert" class="text-[13px] text-loss">
        {planning.trouble} Figures not updated.
      </p>{/if}
    {#each plan.warnings as one, i (i)}
      <p class="text-[13px] text-ember"><b aria-hidden="true">!</b> {one}</p>
    {/each}
    {#if plan.choices.length}
      <details class="text-[13px]">
        <summary class="link inline-block cursor-pointer">Other places for its levels</summary>
        <ul class="mt-1 grid gap-x-6 min-[700px]:grid-cols-2">
          {#each plan.choices.filter((one) => !held || one.level !== 'entry') as one (`${one.level} ${one.price}`)}
            <li>
              <button class="link" onclick={() => take(one)}>{one.level} {price(one.price)}</button>
              <span class="text-ink2">{one.why}</span>
            </li>
          {/each}
        </ul>
      </details>
    {/if}
    {#if plan.together.positions > 1}
      <p class="mt-1 text-[13px] text-ink2">
        If all {plan.together.positions} fill: {percent(plan.together.risk, 1, false)} of the account at risk, {percent(
          plan.together.invested,
          0,
          false,
        )} in the market{#if plan.together.sector}, {percent(plan.together.in_sector, 0, false)} in {plan
            .together.sector}{/if}{#if plan.together.correlation !== null}, mean correlation {fixed(
            plan.together.correlation,
          )}{/if}{#if plan.together.foreign.length}; without {plan.together.foreign.join(', ')}, in another
          currency{/if}.
      </p>
    {/if}
  </div>
{/if}
