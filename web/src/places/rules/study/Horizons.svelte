<script lang="ts">
  /** The figures by bars held, and the distribution at the chosen horizon. */
  import type { Horizon, Study } from '$lib/api'
  import Histogram from '$lib/charts/Histogram.svelte'
  import { fixed, hits, percent, tone, whole } from '$lib/format'

  interface Props {
    study: Study
    horizon: Horizon
    onpick: (bars: number) => void
  }
  const { study, horizon, onpick }: Props = $props()

  function wonHelp(row: Horizon): string {
    if (row.win_rate_low === null) return ''
    const said = `95%: ${percent(row.win_rate_low, 1, false)} to ${percent(row.win_rate_high, 1, false)}, whole days drawn.`
    const wilson = `${percent(row.wilson_low, 1, false)} to ${percent(row.wilson_high, 1, false)}`
    return `${said} As if every hit stood for itself (Wilson): ${wilson}. The narrower that is beside the first, the more the hits of one day moved together.`
  }
</script>

<div class="@container mt-4">
  <div class="grid grid-cols-1 gap-5 @[840px]:grid-cols-[minmax(0,1fr)_240px]">
    <table class="w-full self-start text-[13px]">
      <caption class="pb-1 text-left font-title text-[16px]">By bars held</caption>
      <thead>
        <tr class="border-b border-hair text-ink2">
          {#each ['Bars', 'Hits', 'Win rate', 'Mean', 'Median', 'Baseline', 'Excess', '95% interval', 'Payoff'] as head (head)}
            <th scope="col" class="px-1.5 py-1 text-right font-semibold whitespace-nowrap">{head}</th>
          {/each}
        </tr>
      </thead>
      <tbody>
        {#each study.horizons as row (row.bars)}
          <tr
            class="cursor-pointer border-b border-hair/60 hover:bg-paper2 {row.bars === horizon.bars
              ? 'bg-row'
              : ''}"
            title="{row.pending} pending, {row.delisted} delisted before the exit, standard deviation {percent(
              row.stdev,
              2,
              false,
            )}"
            onclick={() => onpick(row.bars)}
          >
            <th scope="row" class="num px-1.5 py-1">
              <button aria-pressed={row.bars === horizon.bars} aria-label="{row.bars} bars">{row.bars}</button
              >
            </th>
            <td class="num px-1.5"
              >{whole(row.count)}{#if row.small_sample}<span
                  class="text-ember"
                  title="under 30 days: a small sample">&thinsp;*</span
                >{/if}</td
            >
            <td class="num px-1.5" title={wonHelp(row)}>{percent(row.win_rate, 1, false)}</td>
            <td class="num px-1.5">{percent(row.mean, 2)}</td>
            <td class="num px-1.5">{percent(row.median, 2)}</td>
            <td class="num px-1.5 text-ink2">{percent(row.baseline, 2)}</td>
            <td class="num px-1.5 {tone(row.excess)}">{percent(row.excess, 2)}</td>
            <td class="num px-1.5 text-ink2"
              >{row.excess_low === null
                ? '–'
                : `${percent(row.excess_low, 2)} … ${percent(row.excess_high, 2)}`}</td
            >
            <td class="num px-1.5">{fixed(row.payoff)}</td>
          </tr>
        {/each}
      </tbody>
    </table>
    <figure class="flex flex-col">
      <figcaption class="font-title text-[16px]">
        After {horizon.bars} bars, {hits(horizon.count)}
      </figcaption>
      <div class="h-[190px]"><Histogram {horizon} /></div>
    </figure>
  </div>
</div>
<p class="mt-1.5 text-[13px] text-ink3">
  {hits(study.hits)}{#if study.no_entry}, {whole(study.no_entry)} could not be entered{/if}; at {horizon.bars}
  bars
  {whole(horizon.pending)} are pending and {whole(horizon.delisted)} were delisted before their exit.
  {#if study.horizons.some((h) => h.small_sample)}* under 30 distinct days.{/if}
</p>
<p class="mt-0.5 text-[13px] text-ink2">
  At {horizon.bars} bars one hit in twenty ended below {percent(horizon.spread.p5, 1)} and one in twenty made more
  than {percent(horizon.spread.p95, 1)}; half lay between {percent(horizon.spread.p25, 1)} and
  {percent(horizon.spread.p75, 1)}. Best {horizon.best_symbol}
  {percent(horizon.best, 1)}, worst {horizon.worst_symbol}
  {percent(horizon.worst, 1)}. On the way the average hit stood {percent(horizon.favourable.mean, 1)} at best and
  {percent(horizon.adverse.mean, 1)} at worst.
</p>
