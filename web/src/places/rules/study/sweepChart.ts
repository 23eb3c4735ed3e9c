/** The plot of a sweep over one dial. */
import type { Schemas } from '$lib/api'
import { MONO } from '$lib/charts/echarts'
import { percent } from '$lib/format'
import { colour } from '$lib/theme.svelte'

type Sweep = Schemas['SweepOut']
type Cell = Schemas['CellOut']

/** Excess with its band over the settings of one dial, the hits below. said: a setting in words, told: a cell in a sentence. */
export function sweepChart(
  found: Sweep,
  said: (value: number) => string,
  told: (cell: Cell) => string,
): Record<string, unknown> {
  const cells = found.cells
  const [ink, ink3, hair, ember] = ['ink', 'ink3', 'hair', 'ember'].map((n) => colour(n)) as [
    string,
    string,
    string,
    string,
  ]
  const text = { fontFamily: MONO, fontSize: 11, color: ink3 }
  const plain = {
    type: 'line',
    symbol: 'none',
    silent: true,
    lineStyle: { opacity: 0 },
    stack: 'band',
    stackStrategy: 'all',
  }
  return {
    grid: [
      { left: 56, right: 12, top: 10, height: 150 },
      { left: 56, right: 12, top: 176, height: 44 },
    ],
    tooltip: {
      trigger: 'axis',
      axisPointer: { lineStyle: { color: ink3 } },
      backgroundColor: colour('paper'),
      borderColor: hair,
      textStyle: { color: ink, fontFamily: MONO, fontSize: 12 },
      formatter: (at: { dataIndex: number }[]) => told(cells[at[0]?.dataIndex ?? 0]!).replace('. ', '<br>'),
    },
    axisPointer: { link: [{ xAxisIndex: 'all' }] },
    xAxis: [0, 1].map((gridIndex) => ({
      type: 'category',
      gridIndex,
      data: cells.map((c) => said(c.values[0]!)),
      axisTick: { show: false },
      axisLine: { lineStyle: { color: hair }, onZero: false },
      axisLabel: { ...text, show: gridIndex === 1 },
    })),
    yAxis: [
      {
        type: 'value',
        gridIndex: 0,
        splitNumber: 4,
        axisLabel: { ...text, formatter: (v: number) => percent(v, 2) },
        splitLine: { lineStyle: { color: hair, opacity: 0.6 } },
      },
      { type: 'value', gridIndex: 1, splitNumber: 1, axisLabel: text, splitLine: { show: false } },
    ],
    series: [
      { ...plain, name: 'low', data: cells.map((c) => c.low) },
      {
        ...plain,
        name: 'band',
        data: cells.map((c) => (c.low === null || c.high === null ? null : c.high - c.low)),
        areaStyle: { color: ember, opacity: 0.16 },
      },
      {
        type: 'line',
        name: 'excess',
        data: cells.map((c, i) => ({
          value: c.excess,
          symbol: i === found.peak && i !== found.plateau ? 'triangle' : 'circle',
          symbolSize: i === found.plateau ? 11 : i === found.peak ? 11 : c.holds ? 6 : 4,
          itemStyle: {
            color: i === found.plateau || c.holds ? ember : colour('paper'),
            borderColor: ember,
            borderWidth: 1.5,
          },
        })),
        lineStyle: { color: ember, width: 1.6 },
      },
      {
        type: 'bar',
        name: 'hits',
        xAxisIndex: 1,
        yAxisIndex: 1,
        data: cells.map((c) => c.count),
        itemStyle: { color: ink3, opacity: 0.6 },
        barMaxWidth: 18,
      },
    ],
  }
}
