<script lang="ts">
  import type { Horizon } from '$lib/api'
  import { hits, percent } from '$lib/format'
  import { colour } from '$lib/theme.svelte'
  import EChart from './EChart.svelte'
  import { MONO } from './echarts'

  const { horizon }: { horizon: Horizon } = $props()

  function option(): Record<string, unknown> {
    const { edges, counts } = horizon.histogram
    const ink3 = colour('ink3')
    const last = counts.length - 1
    const range = (i: number) => {
      const [low, high] = [percent(edges[i], 1), percent(edges[i + 1], 1)]
      return i === 0 ? `under ${high}` : i === last ? `${low} and more` : `${low} to ${high}`
    }
    return {
      grid: { left: 4, right: 4, top: 8, bottom: 22 },
      tooltip: {
        trigger: 'axis',
        axisPointer: { type: 'none' },
        backgroundColor: colour('paper'),
        borderColor: colour('hair'),
        textStyle: { color: colour('ink'), fontFamily: MONO, fontSize: 12 },
        formatter: (points: { dataIndex: number }[]) => {
          const i = points[0]?.dataIndex ?? 0
          return `${range(i)}: ${hits(counts[i])}`
        },
      },
      xAxis: {
        type: 'category',
        data: counts.map((_, i) => i),
        axisTick: { show: false },
        axisLine: { lineStyle: { color: ink3 } },
        axisLabel: {
          fontFamily: MONO,
          fontSize: 11,
          color: ink3,
          interval: (i: number) => {
            const zero = edges.findIndex((e) => Math.abs(e) < 1e-9)
            return i === 0 || i === last || i === zero
          },
          formatter: (value: string) => {
            const edge = edges[Number(value)] ?? 0
            return Math.abs(edge) < 1e-9 ? '0' : percent(edge, Math.abs(edge) < 0.1 ? 1 : 0)
          },
        },
      },
      yAxis: { type: 'value', show: false },
      series: [
        {
          type: 'bar',
          barCategoryGap: '12%',
          data: counts.map((value, i) => ({
            value,
            itemStyle: { color: colour((edges[i] ?? 0) < -1e-9 ? 'loss' : 'gain'), opacity: 0.85 },
          })),
        },
      ],
    }
  }
</script>

<EChart
  {option}
  label="Distribution of returns after {horizon.bars} bars: from {percent(
    horizon.histogram.edges[0],
  )} to {percent(horizon.histogram.edges.at(-1))}, median {percent(horizon.median)}"
/>
