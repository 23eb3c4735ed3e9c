<script lang="ts">
  /** An item in the list of its stage: who, and how it stands. */
  import { fixed, moment, percent, price, tone, whole } from '$lib/format'
  import type { BenchItem } from '$lib/desk'
  import Rail from '$lib/Rail.svelte'

  const { one }: { one: BenchItem } = $props()
  const held = $derived(one.rail && one.rail.shares > 0 ? one.rail : null)
  const r = $derived(one.rail ? one.rail.r : (one.planned?.r ?? null))
</script>

<span class="flex items-baseline gap-2"
  ><b class="font-mono text-[13px]">{one.symbol}</b>
  <span class="min-w-0 flex-1 truncate">{one.name}</span>
  {#if one.rail && !held}<span class="num text-[13px] {tone(one.rail.result)}">{whole(one.rail.result)}</span>
  {:else}<span class="num text-[13px]">{price(one.close)}</span>
    <span class="num text-[13px] {tone(one.change)}">{percent(one.change)}</span>{/if}
  {#if r !== null}<span class="num text-[13px] {one.rail ? tone(r) : ''}">{fixed(r, 1)} R</span>{/if}</span
>
{#if held}<span class="mt-0.5 block"><Rail rail={held} /></span>{/if}
<span class="block truncate text-[12px] text-ink2"
  >{#if one.notices}<b class="text-loss"
      >! {one.notices === 1 ? 'needs attention' : `${one.notices} need attention`}</b
    >&nbsp;·&nbsp;{/if}{#if held && held.stop === null}<b class="text-loss">no stop</b
    >&nbsp;·&nbsp;{/if}{#if one.planned && !one.rail && one.stage === 'planned'}{one.planned.away >= 0
      ? `${percent(one.planned.away, 1, false)} to its entry`
      : 'past its entry'}{one.paper === 'waiting' ? ', on paper · ' : ' · '}{/if}{one.rule_name
    ? `${one.rule_name}, `
    : ''}{moment(one.since)}{#if one.report !== null && one.report <= 5}<span class="text-ember">
      · reports {one.report === 0 ? 'today' : `in ${one.report} day${one.report === 1 ? '' : 's'}`}</span
    >{/if}</span
>
