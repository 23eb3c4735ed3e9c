<script lang="ts">
  /** What a run came to: the verdict, its figures, equity and falls, years, months, and where it was made. */
  import type { BookResult, Schemas } from '$lib/api'
  import { day, fixed, percent, price, tone, whole } from '$lib/format'
  import { MEANS } from './figure-help'
  import DayUnder from './DayUnder.svelte'
  import EquityChart from './EquityChart.svelte'
  import Groups from './Groups.svelte'
  import Months from './Months.svelte'
  import Sizes from '$lib/ui/Sizes.svelte'
  import Years from './Years.svelte'

  interface Props {
    result: BookResult
    run: number
    /** Null until the random picks are done. */
    luck: Schemas['LuckOut'] | null
    ontrade: (trade: { number: number; part: number }) => void
  }
  const { result, run, luck, ontrade }: Props = $props()
  let log = $state(true)
  /** The figure whose definition is shown. */
  let meant = $state('')
  let under = $state<number | null>(null)
  let pinned = $state<number | null>(null)
  const f = $derived(result.figures)
  const index = $derived(result.benchmark)
  const span = (low: number | null | undefined, high: number | null | undefined, digits = 1) =>
    low === null || low === undefined || high === null || high === undefined
      ? ''
      : `${percent(low, digits, false)} to ${percent(high, digits, false)}`
  const six = $derived([
    {
      name: 'annual',
      label: f.annual === null ? 'Return, not annualised' : 'Annual return',
      figure: percent(f.annual ?? f.total),
      below:
        span(result.paths?.annual_low, result.paths?.annual_high) ||
        (index ? `index ${percent(index.annual ?? index.total)}` : ''),
    },
    {
      name: 'worst_fall',
      label: 'Max drawdown',
      figure: percent(f.worst_fall),
      below: index
        ? `index ${percent(index.worst_fall)}`
        : span(result.paths?.fall_low, result.paths?.fall_high),
    },
    {
      name: 'mar',
      label: 'Return / drawdown',
      figure: fixed(f.mar),
      below: index ? `index ${fixed(index.mar)}` : '',
    },
    { name: 'exposure', label: 'Exposure', figure: percent(f.exposure, 0, false), below: 'of the time' },
    {
      name: 'win_rate',
      label: 'Win rate',
      figure: percent(f.win_rate, 1, false),
      below: `${whole(f.trades)} trades`,
    },
    {
      name: 'expectancy_r',
      label: 'Expectancy',
      figure: f.expectancy_r === null ? '–' : `${f.expectancy_r > 0 ? '+' : ''}${fixed(f.expectancy_r)} R`,
      below:
        f.expectancy_r_low === null || f.expectancy_r_high === null
          ? ''
          : `${fixed(f.expectancy_r_low)} to ${fixed(f.expectancy_r_high)}`,
    },
  ])
  const others = $derived([
    ['total', 'Total return', percent(f.total, 0), index ? percent(index.total, 0) : ''],
    [
      'volatility',
      'Volatility a year',
      percent(f.volatility, 1, false),
      index ? percent(index.volatility, 1, false) : '',
    ],
    ['sharpe', 'Sharpe ratio', fixed(f.sharpe), index ? fixed(index.sharpe) : ''],
    ['sortino', 'Sortino ratio', fixed(f.sortino), index ? fixed(index.sortino) : ''],
    ['return_per_exposure', 'Return over exposure', percent(f.return_per_exposure), ''],
    ['payoff', 'Payoff: mean gain over mean loss', fixed(f.payoff), ''],
    ['profit_factor', 'Profit factor', fixed(f.profit_factor), ''],
    ['mean_gain', 'Mean gain of a trade', percent(f.mean_gain, 2), ''],
    ['bars_held', 'Bars held, in the mean', fixed(f.bars_held, 1), ''],
    ['turnover', 'Bought a year, over equity', `${fixed(f.turnover, 1)} times`, ''],
    ['costs', 'Costs paid', whole(f.costs), ''],
    ['dividends', 'Dividends', whole(f.dividends), ''],
    ...(f.interest || f.borrow
      ? [
          [
            'interest',
            'Interest earned, and paid for borrowing',
            `${whole(f.interest)}, ${whole(f.borrow)}`,
            '',
          ] as const,
        ]
      : []),
    [
      'worst_cases',
      'Bars that touched a stop and something better: taken as stopped',
      whole(f.worst_cases),
      '',
    ],
    ['end', 'At the end', whole(f.end), ''],
  ])
</script>

<h2 class="max-w-[64ch] font-title text-[23px] leading-snug">
  {result.verdict}{luck ? ` ${luck.verdict}` : ''}
</h2>
{#if result.optimistic}
  <p class="mt-1 text-[13px] text-ember">Optimistic: it trades at closes that it decides on.</p>
{/if}
<dl class="mt-3 grid grid-cols-3 gap-x-4 gap-y-2 min-[1150px]:grid-cols-6">
  {#each six as { name, label, figure, below } (name)}
    <div class="border-t border-hair pt-1.5" title={MEANS[name]}>
      <dt class="text-[13px] text-ink2">
        <button
          class="hover:underline"
          aria-expanded={meant === name}
          onclick={() => (meant = meant === name ? '' : name)}>{label}</button
        >
      </dt>
      <dd class="font-mono text-[20px] font-semibold">{figure}</dd>
      <dd class="font-mono text-[12px] text-ink2">{below}</dd>
    </div>
  {/each}
</dl>
{#if meant}
  <p class="mt-2 max-w-[90ch] bg-paper2 px-3 py-1.5 text-[13px]" role="status">{MEANS[meant]}.</p>
{/if}
<div class="mt-4 grid grid-cols-1 gap-x-8 min-[1150px]:grid-cols-[minmax(0,1fr)_250px]">
  <div class="min-w-0">
    <p class="flex items-baseline gap-3 text-[13px] text-ink2">
      <span
        ><span class="font-semibold text-ember">Equity</span>{index
          ? `, ${index.symbol} held thin`
          : ''}</span
      >
      <span class="ml-auto flex gap-3" role="group" aria-label="Scale">
        {#each [[true, 'log'], [false, 'linear']] as const as [which, said] (said)}
          <button
            aria-pressed={log === which}
            class={log === which ? 'font-semibold text-ink' : 'link'}
            onclick={() => (log = which)}>{said}</button
          >
        {/each}
      </span>
    </p>
    <EquityChart
      {result}
      {log}
      onday={(index) => (under = index)}
      onpick={(index) => (pinned = pinned === index ? null : index)}
    />
    <DayUnder
      {result}
      index={under ?? pinned}
      pinned={pinned !== null && (under === null || under === pinned)}
      {ontrade}
    />
  </div>
  <Years {result} />
</div>
<p class="mt-2 flex gap-4 text-[13px]">
  {#each ['csv', 'parquet', 'json'] as kind (kind)}<a
      class="link"
      href="/api/books/runs/{run}/file?what=equity&kind={kind}"
      download>Equity as {kind.toUpperCase()}</a
    >{/each}
  <a class="link" href="/api/books/runs/{run}/report" title="One page with all figures and plots" download
    >Report</a
  >
</p>

<div class="mt-5 grid grid-cols-1 gap-x-12 gap-y-5 min-[1150px]:grid-cols-2">
  <section>
    <h3 class="font-title text-[17px]">More figures</h3>
    <table class="mt-1 w-full text-[13px]">
      <tbody>
        {#each others as [name, label, own, other] (label)}
          <tr class="border-b border-hair/60" title={MEANS[name!]}>
            <th scope="row" class="text-left font-normal">{label}</th>
            <td class="num pl-4">{own}</td>
            <td class="num pl-4 text-ink2">{other ? `index ${other}` : ''}</td>
          </tr>
        {/each}
      </tbody>
    </table>
  </section>
  <section>
    <h3 class="font-title text-[17px]">Worst falls</h3>
    <table class="mt-1 w-full text-[13px]">
      <thead>
        <tr class="border-b border-hair text-ink2">
          <th scope="col" class="text-left font-semibold">Began</th>
          <th scope="col" class="pl-3 text-left font-semibold">Bottom</th>
          <th scope="col" class="pl-3 text-left font-semibold">Recovered</th>
          <th scope="col" class="pl-3 text-right font-semibold">Depth</th>
          <th scope="col" class="pl-3 text-right font-semibold">Days</th>
        </tr>
      </thead>
      <tbody>
        {#each result.worst_falls as fall (fall.began)}
          <tr class="border-b border-hair/60">
            <td>{day(fall.began)}</td>
            <td class="pl-3">{day(fall.bottom)}</td>
            <td class="pl-3">{fall.recovered ? day(fall.recovered) : 'not yet'}</td>
            <td class="num pl-3 {tone(fall.depth)}">{percent(fall.depth)}</td>
            <td class="num pl-3">{whole(fall.days)}</td>
          </tr>
        {:else}<tr><td colspan="5" class="text-ink2">It never fell.</td></tr>{/each}
      </tbody>
    </table>
  </section>
</div>
<Months {result} />
<Groups {result} />
<section class="mt-5">
  <h3 class="font-title text-[17px]">Sizes</h3>
  <Sizes own={result.sizes.own} slots={result.slots} />
  <p class="mt-2 text-[13px] text-ink3">
    It began with {price(result.money)} and traded from {day(result.start)} to {day(result.end)}.
  </p>
</section>
