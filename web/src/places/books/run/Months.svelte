<script lang="ts">
  /** Months as a table, shaded, and the rolling year. */
  import type { BookResult } from '$lib/api'
  import EChart from '$lib/charts/EChart.svelte'
  import { MONO } from '$lib/charts/echarts'
  import { percent } from '$lib/format'
  import { colour } from '$lib/theme.svelte'

  const { result }: { result: BookResult } = $props()
  const NAMES = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec']
  const most = $derived(
    Math.max(0.01, ...result.months.flatMap((year) => year.months.map((m) => Math.abs(m ?? 0)))),
  )
  const shade = (value: number | null) =>
    value === null
      ? undefined
      : `color-mix(in srgb, var(--${value > 0 ? 'gain' : 'loss'}) ${Math.round((Math.abs(value) / most) * 45)}%, var(--paper))`

  function rolling(): Record<string, unknown> {
    const text = { fontFamily: MONO, fontSize: 11, color: colour('ink3') }
    return {
      grid: { left: 8, right: 54, top: 8, bottom: 22 },
      tooltip: {
        trigger: 'axis',
        backgroundColor: colour('paper'),
        borderColor: colour('hair'),
        textStyle: { color: colour('ink'), fontFamily: MONO, fontSize: 12 },
        valueFormatter: (v: number) => percent(v),
      },
      xAxis: {
        type: 'category',
        data: result.rolling.map((r) => r.day),
        axisTick: { show: false },
        axisLine: { lineStyle: { color: colour('hair') } },
        axisLabel: { ...text, formatter: (day: string) => day.slice(0, 4), interval: 11 },
      },
      yAxis: {
        type: 'value',
        position: 'right',
        splitNumber: 3,
        axisLabel: { ...text, formatter: (v: number) => percent(v, 0) },
        splitLine: { lineStyle: { color: colour('hair'), opacity: 0.6 } },
      },
      series: [
        {
          type: 'line',
          name: 'the year before',
          symbol: 'none',
          data: result.rolling.map((r) => r.value),
          lineStyle: { color: colour('ember'), width: 1.4 },
        },
      ],
    }
  }
</script>

<section class="mt-5">
  <h3 class="font-title text-[17px]">Months</h3>
  <div class="overflow-x-auto">
    <table class="mt-1 w-full text-[12.5px]">
      <thead>
        <tr class="text-ink2">
          <th></th>
          {#each NAMES as name (name)}<th scope="col" class="text-right font-semibold">{name}</th>{/each}
          <th scope="col" class="text-right font-semibold">Year</th>
        </tr>
      </thead>
      <tbody>
        {#each result.months as year (year.year)}
          <tr>
            <th scope="row" class="pr-2 text-left font-mono font-normal">{year.year}</th>
            {#each year.months as month, i (i)}
              <td class="num px-1 py-[2px]" style:background={shade(month)}
                >{month === null ? '' : percent(month)}</td
              >
            {/each}
            <td class="num pl-2 font-semibold">{percent(year.whole)}</td>
          </tr>
        {/each}
      </tbody>
    </table>
  </div>
  {#if result.rolling.length > 1}
    <h3 class="mt-4 font-title text-[17px]">The year before, at each month’s end</h3>
    <div class="h-[150px]">
      <EChart
        option={rolling}
        label="Return of the 252 sessions before each month's end; the months are in the table above"
      />
    </div>
  {/if}
</section>
