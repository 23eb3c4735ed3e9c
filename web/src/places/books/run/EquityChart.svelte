<script lang="ts">
  import type { ECharts } from 'echarts/core'
  import type { BookResult } from '$lib/api'
  import { timeChartIn } from '$lib/charts/echarts'
  import { theme } from '$lib/theme.svelte'
  import { equityChart } from './equityChart'

  interface Props {
    result: BookResult
    log: boolean
    /** The session under the crosshair, by its place; null where it has left the chart. */
    onday: (index: number | null) => void
    /** A click on a session. */
    onpick: (index: number) => void
  }
  const { result, log, onday, onpick }: Props = $props()
  let box: HTMLDivElement
  let chart: ECharts | undefined = $state.raw()

  $effect(() => {
    const made = timeChartIn(
      box,
      (index) => onday(index),
      (index) => onpick(index),
    )
    chart = made.chart
    return made.dispose
  })

  $effect(() => {
    void theme.now
    chart?.setOption({ animation: false, ...equityChart(result, log) }, { notMerge: true })
  })
</script>

<div class="relative">
  <div
    bind:this={box}
    class="h-[388px] w-full"
    role="img"
    aria-label="Equity of the book{result.benchmark
      ? ` beside ${result.benchmark.symbol}`
      : ''}, its drawdowns, and its exposure; the values are in the tables below"
  ></div>
  <span class="pointer-events-none absolute top-[316px] left-3 text-[11px] text-ink3">drawdown</span>
  <span class="pointer-events-none absolute top-[332px] left-3 text-[10.5px] leading-none text-ink3"
    >exposure</span
  >
</div>
