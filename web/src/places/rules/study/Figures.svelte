<script lang="ts">
  /** The verdict, and the four numbers it rests on. */
  import type { Horizon, Study } from '$lib/api'
  import { percent, whole } from '$lib/format'

  interface Props {
    study: Study
    horizon: Horizon
  }
  const { study, horizon }: Props = $props()
  const bars = $derived(`${horizon.bars} bar${horizon.bars === 1 ? '' : 's'}`)

  function interval(low: number | null, high: number | null, digits: number, plus: boolean): string {
    return low === null || high === null
      ? 'no interval'
      : `${percent(low, digits, plus)} to ${percent(high, digits, plus)}`
  }

  const four = $derived([
    {
      label: `Excess at ${bars}`,
      figure: percent(horizon.excess, 2),
      below: interval(horizon.excess_low, horizon.excess_high, 2, true),
      help: 'Mean of each hit’s return less what the members made over the same bars',
    },
    {
      label: 'Win rate',
      figure: percent(horizon.win_rate, 1, false),
      below: interval(horizon.win_rate_low, horizon.win_rate_high, 1, false),
      help: 'Share of hits with a return above zero, after costs; the interval draws whole days, as that of the median does',
    },
    {
      label: 'Median',
      figure: percent(horizon.median, 2),
      below: interval(horizon.median_low, horizon.median_high, 2, true),
      help: `Mean ${percent(horizon.mean, 2)}, baseline ${percent(horizon.baseline, 2)}`,
    },
    {
      label: 'Hits',
      figure: whole(horizon.count),
      below: `${whole(horizon.days)} days, ${whole(horizon.instruments)} names`,
      help: horizon.small_sample ? 'Under 30 days: a small sample' : '',
    },
  ])
</script>

<h2 class="max-w-[70ch] font-title text-[21px] leading-snug">{study.verdicts[String(horizon.bars)]}</h2>
{#if study.entry === 'signal-close'}
  <p class="mt-1 text-[13px] text-ember">Optimistic: you cannot know a close and trade it.</p>
{/if}
{#if study.hits}
  <dl class="mt-3 grid grid-cols-4 gap-x-6">
    {#each four as { label, figure, below, help } (label)}
      <div class="border-t border-hair pt-1.5" title={help}>
        <dt class="text-[13px] text-ink2">{label}</dt>
        <dd class="font-mono text-[21px] font-semibold">{figure}</dd>
        <dd class="font-mono text-[12px] text-ink2">{below}</dd>
      </div>
    {/each}
  </dl>
{/if}
