<script lang="ts">
  /** Dials chosen on a rolling stretch, traded on the next: the joined equity beside today's dials all along. */
  import { books, type Schemas } from '$lib/api'
  import EChart from '$lib/charts/EChart.svelte'
  import { MONO } from '$lib/charts/echarts'
  import { day, fixed, percent, short, tone, whole } from '$lib/format'
  import NumberField from '$lib/NumberField.svelte'
  import Progress from '$lib/Progress.svelte'
  import { colour } from '$lib/theme.svelte'
  import { Watched } from '$lib/watched.svelte'
  import { rounds } from '../run/equityChart'
  import DialRangeFields from '$lib/ui/DialRanges.svelte'
  import { DialRanges } from '$lib/ui/dial-ranges.svelte'
  import { rangesOf } from './ranges'

  interface Props {
    run: number
    dials: Schemas['DialOut'][]
    slots: number
  }
  const { run, dials, slots }: Props = $props()
  const ranges = new DialRanges(() => rangesOf(dials, slots))
  const watched = new Watched<Schemas['BookWalkRun']>('book-walk', books.walk, {
    stop: books.stop,
    again: books.again,
  })
  const found = $derived(watched.result as Schemas['WalkOut'] | null)
  let train = $state(4)
  let traded = $state(1)
  const percentOf = (name: string) => dials.find((d) => d.name === name)?.percent ?? false
  const setting = (name: string, v: number) => (percentOf(name) ? percent(v, 1, false) : String(v))
  const start = () =>
    watched.start(() => books.startWalk(run, { dials: $state.snapshot(ranges.chosen), train, traded }))
  $effect(() => () => watched.leave())

  function plot(): Record<string, unknown> {
    const walk = found!
    const least = Math.min(...walk.equity, ...walk.favourite) * 0.97
    const most = Math.max(...walk.equity, ...walk.favourite) * 1.03
    const text = { fontFamily: MONO, fontSize: 11, color: colour('ink3') }
    const line = { type: 'line', symbol: 'none', silent: true, sampling: 'lttb' }
    return {
      grid: { left: 8, right: 54, top: 8, bottom: 22 },
      xAxis: {
        type: 'category',
        data: walk.days,
        boundaryGap: false,
        axisTick: { show: false },
        axisLine: { lineStyle: { color: colour('hair') } },
        axisLabel: {
          ...text,
          interval: (i: number) => i > 0 && walk.days[i]!.slice(0, 4) !== walk.days[i - 1]!.slice(0, 4),
          formatter: (d: string) => d.slice(0, 4),
        },
      },
      yAxis: {
        type: 'value',
        position: 'right',
        min: Math.log10(least),
        max: Math.log10(most),
        axisLabel: {
          ...text,
          customValues: rounds(least, most).map(Math.log10),
          formatter: (v: number) => short(Number((10 ** v).toPrecision(3))),
        },
        axisTick: { show: false, customValues: rounds(least, most).map(Math.log10) },
        splitLine: { show: false },
      },
      series: [
        { ...line, data: walk.favourite.map(Math.log10), lineStyle: { color: colour('ink3'), width: 1 } },
        { ...line, data: walk.equity.map(Math.log10), lineStyle: { color: colour('ember'), width: 1.8 } },
      ],
    }
  }
</script>

<div class="flex flex-wrap items-center gap-x-4 gap-y-1.5 text-[13px] text-ink2">
  <DialRangeFields {ranges} />
  <label
    >chosen on <NumberField
      class="field num w-[52px] py-0"
      label="chosen on"
      min={1}
      max={20}
      live
      value={train}
      onvalue={(value) => (train = Math.round(value ?? train))}
    /> years</label
  >
  <label
    >traded for <NumberField
      class="field num w-[52px] py-0"
      label="traded for"
      min={1}
      max={10}
      live
      value={traded}
      onvalue={(value) => (traded = Math.round(value ?? traded))}
    />
    {traded === 1 ? 'year' : 'years'}</label
  >
  <span class="ml-auto flex items-center gap-4">
    <span>{whole(ranges.total)} settings</span>
    <button class="act" disabled={watched.busy || !(ranges.total >= 1)} onclick={start}
      >Run walk-forward</button
    >
  </span>
</div>
<div class="mt-3"><Progress {watched} onagain={start} /></div>
{#if found}
  <h2 class="max-w-[75ch] font-title text-[19px] leading-snug">{found.verdict}</h2>
  <p class="text-[13px] text-ink2">
    <span class="font-semibold text-ember">Walking forward</span>, each stretch begun with an empty book;
    thin: today’s dials all along, begun anew likewise.
  </p>
  <div class="h-[230px]">
    <EChart
      option={plot}
      label="Joined equity of the traded stretches; the stretches are in the table below"
    />
  </div>
  <table class="mt-2 text-[13px]">
    <thead>
      <tr class="border-b border-hair text-ink2">
        <th></th>
        {#each ['Annual return', 'Max drawdown', 'Return / drawdown', 'Sharpe'] as head (head)}<th
            scope="col"
            class="pl-5 text-right font-semibold">{head}</th
          >{/each}
      </tr>
    </thead>
    <tbody>
      {#each [['walking forward', found.walked], ['today’s dials all along', found.stayed]] as const as [label, curve] (label)}
        <tr class="border-b border-hair/60">
          <th scope="row" class="text-left font-normal">{label}</th>
          <td class="num pl-5">{percent(curve.annual ?? curve.total)}</td>
          <td class="num pl-5">{percent(curve.worst_fall)}</td>
          <td class="num pl-5">{fixed(curve.mar)}</td>
          <td class="num pl-5">{fixed(curve.sharpe)}</td>
        </tr>
      {/each}
    </tbody>
  </table>
  <table class="mt-4 text-[13px]">
    <thead>
      <tr class="border-b border-hair text-ink2">
        <th scope="col" class="text-left font-semibold">Chosen from</th>
        <th scope="col" class="pl-5 text-left font-semibold">Traded</th>
        {#each found.dials as name (name)}<th scope="col" class="pl-5 text-right font-mono font-semibold"
            >{name}</th
          >{/each}
        <th
          scope="col"
          class="pl-5 text-right font-semibold"
          title="Annual return over the max drawdown on the days it was chosen on">Return / drawdown then</th
        >
        <th scope="col" class="pl-5 text-right font-semibold">Made</th>
        <th scope="col" class="pl-5 text-right font-semibold">Today’s dials</th>
      </tr>
    </thead>
    <tbody>
      {#each found.stretches as stretch, i (stretch.first)}
        {@const before = found.stretches[i - 1]}
        <tr class="border-b border-hair/60">
          <td>{day(stretch.train)}</td>
          <td class="pl-5 whitespace-nowrap">{day(stretch.first)} to {day(stretch.last)}</td>
          {#each found.dials as name, d (name)}
            <td
              class="num pl-5 {before && before.values[d] !== stretch.values[d]
                ? 'font-semibold text-ember'
                : ''}">{setting(name, stretch.values[d]!)}</td
            >
          {/each}
          <td class="num pl-5">{fixed(stretch.chosen_on)}</td>
          <td class="num pl-5 {tone(stretch.made)}">{percent(stretch.made)}</td>
          <td class="num pl-5 {tone(stretch.favourite)}">{percent(stretch.favourite)}</td>
        </tr>
      {/each}
    </tbody>
  </table>
{:else if !watched.busy && !watched.failed}
  <p class="max-w-[70ch] text-[13px] text-ink2">
    What would have been chosen each year on the years before, and what that made: the honest way to ask what
    turning dials is worth.
  </p>
{/if}
