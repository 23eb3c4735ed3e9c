/** The plots of a run: equity on a log or linear scale, the fall from the peak under it, and what was invested; one crosshair for all. */
import type { BookResult } from '$lib/api'
import { axisText, crosshair, daysAxes, plainLine } from '$lib/charts/days-axis'
import { percent, short } from '$lib/format'
import { colour } from '$lib/theme.svelte'

/** Round amounts of money from the least to the most, so many that they can be read. */
export function rounds(least: number, most: number): number[] {
  const found: number[] = []
  for (let power = Math.floor(Math.log10(least)); power <= Math.log10(most); power++)
    for (const digit of [1, 1.5, 2, 3, 5, 7.5]) {
      const value = digit * 10 ** power
      if (value >= least && value <= most) found.push(value)
    }
  return found.length > 9 ? found.filter((_, i) => i % 2 === 0) : found
}

export function equityChart(result: BookResult, log: boolean): Record<string, unknown> {
  const [ink3, hair, ember] = ['ink3', 'hair', 'ember'].map((n) => colour(n)) as [string, string, string]
  const days = result.equity.map((e) => e.day)
  const text = axisText()
  const grids = [
    { left: 8, right: 54, top: 8, height: 236 },
    { left: 8, right: 54, top: 266, height: 66 },
    { left: 8, right: 54, top: 346, height: 34 },
  ]
  const money = [...result.equity.map((e) => e.equity), ...(result.index ?? [])].filter((v) => v > 0)
  const [least, most] = [Math.min(...money) * 0.97, Math.max(...money) * 1.03]
  // A log scale is one of logarithms, so that its marks can be round amounts.
  const on = (value: number) => (log ? Math.log10(value) : value)
  const ticks = rounds(least, most)
  return {
    grid: grids,
    ...crosshair(),
    xAxis: daysAxes(days, grids.length, 0, 1),
    yAxis: [
      {
        type: 'value',
        position: 'right',
        gridIndex: 0,
        min: on(least),
        max: on(most),
        axisLabel: {
          ...text,
          customValues: ticks.map(on),
          formatter: (v: number) => short(log ? Number((10 ** v).toPrecision(3)) : v),
        },
        axisTick: { show: false, customValues: ticks.map(on) },
        splitLine: { show: false },
        axisPointer: { show: false },
      },
      {
        type: 'value',
        position: 'right',
        gridIndex: 1,
        max: 0,
        splitNumber: 2,
        axisLabel: { ...text, formatter: (v: number) => percent(v, 0, false) },
        splitLine: { show: false },
        axisPointer: { show: false },
      },
      {
        type: 'value',
        position: 'right',
        gridIndex: 2,
        min: 0,
        splitNumber: 1,
        axisLabel: { ...text, formatter: (v: number) => percent(v, 0, false) },
        splitLine: { show: false },
        axisPointer: { show: false },
      },
    ],
    series: [
      ...(result.index
        ? [{ ...plainLine, name: 'index', data: result.index.map(on), lineStyle: { color: ink3, width: 1 } }]
        : []),
      {
        ...plainLine,
        name: 'book',
        data: result.equity.map((e) => (e.equity > 0 ? on(e.equity) : null)),
        markLine: {
          silent: true,
          symbol: 'none',
          label: { show: false },
          lineStyle: { color: hair, type: 'solid', opacity: 0.7, width: 1 },
          data: ticks.map((value) => ({ yAxis: on(value) })),
        },
        lineStyle: { color: ember, width: 1.8 },
      },
      ...(result.index_falls
        ? [
            {
              ...plainLine,
              name: 'index falls',
              xAxisIndex: 1,
              yAxisIndex: 1,
              data: result.index_falls,
              lineStyle: { opacity: 0 },
              areaStyle: { color: hair, opacity: 0.6 },
            },
          ]
        : []),
      {
        ...plainLine,
        name: 'falls',
        xAxisIndex: 1,
        yAxisIndex: 1,
        data: result.falls,
        lineStyle: { color: ember, width: 1 },
        areaStyle: { color: ember, opacity: 0.12 },
      },
      {
        ...plainLine,
        name: 'invested',
        xAxisIndex: 2,
        yAxisIndex: 2,
        data: result.equity.map((e) => e.exposure),
        lineStyle: { color: ink3, width: 0.8 },
        areaStyle: { color: ink3, opacity: 0.2 },
      },
    ],
  }
}
