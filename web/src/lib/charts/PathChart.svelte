<script lang="ts">
  import type { PathPoint } from '$lib/api'
  import { hits, percent } from '$lib/format'
  import { colour } from '$lib/theme.svelte'
  import EChart from './EChart.svelte'
  import { MONO } from './echarts'

  const { points }: { points: PathPoint[] } = $props()

  function option(): Record<string, unknown> {
    const [ink, ink2, ink3, hair, ember] = ['ink', 'ink2', 'ink3', 'hair', 'ember'].map((n) => colour(n)) as [
      string,
      string,
      string,
      string,
      string,
    ]
    const text = { fontFamily: MONO, fontSize: 11, color: ink3 }
    const line = (name: string, key: 'mean' | 'median' | 'baseline', style: object, shade: string) => ({
      type: 'line',
      name,
      data: points.map((p) => p[key]),
      symbol: 'none',
      lineStyle: style,
      itemStyle: { color: shade },
    })
    return {
      grid: { left: 50, right: 10, top: 10, bottom: 24 },
      tooltip: {
        trigger: 'axis',
        axisPointer: { lineStyle: { color: ink3 } },
        backgroundColor: colour('paper'),
        borderColor: hair,
        textStyle: { color: ink, fontFamily: MONO, fontSize: 12 },
        formatter: (found: { dataIndex: number }[]) => {
          const p = points[found[0]?.dataIndex ?? 0]!
          const when =
            p.offset === 0 ? 'the hit' : `${Math.abs(p.offset)} bars ${p.offset < 0 ? 'before' : 'after'}`
          return `${when}, ${hits(p.count)}<br>mean ${percent(p.mean, 2)} (${percent(p.low, 2)} to ${percent(p.high, 2)})<br>median ${percent(p.median, 2)}<br>baseline ${percent(p.baseline, 2)}`
        },
      },
      xAxis: {
        type: 'category',
        data: points.map((p) => p.offset),
        axisTick: { show: false },
        axisLine: { lineStyle: { color: ink3 }, onZero: true },
        axisLabel: { ...text, interval: (i: number) => points[i]!.offset % 10 === 0 },
      },
      yAxis: {
        type: 'value',
        scale: true,
        axisLabel: { ...text, formatter: (v: number) => percent(v, 1) },
        splitLine: { lineStyle: { color: hair, opacity: 0.6 } },
      },
      series: [
        // The band is drawn as a transparent foot with the width of the interval on it.
        {
          type: 'line',
          name: 'low',
          data: points.map((p) => p.low),
          stack: 'band',
          stackStrategy: 'all',
          symbol: 'none',
          lineStyle: { opacity: 0 },
          silent: true,
        },
        {
          type: 'line',
          name: 'band',
          data: points.map((p) => (p.low === null || p.high === null ? null : p.high - p.low)),
          stack: 'band',
          stackStrategy: 'all',
          symbol: 'none',
          lineStyle: { opacity: 0 },
          areaStyle: { color: ember, opacity: 0.16 },
          silent: true,
        },
        line('baseline', 'baseline', { color: ink3, width: 1.2 }, ink3),
        line('median', 'median', { color: ink2, width: 1.2, type: 'dashed' }, ink2),
        line('mean', 'mean', { color: ember, width: 1.8 }, ember),
      ],
    }
  }
</script>

<EChart
  {option}
  label="The path of the hits from {points[0]?.offset ?? 0} to {points.at(-1)?.offset ??
    0} bars around them, with the interval of the mean and the baseline; its values are saved with the figures"
/>
