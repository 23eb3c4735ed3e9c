/** The index above, the breadth below, one crosshair; a mark at each passing. The level itself is drawn over it, so that it follows the hand. */
import { crosshair, daysAxes, plainLine } from '$lib/charts/days-axis'
import { percent, whole } from '$lib/format'
import { colour } from '$lib/theme.svelte'
import type { Breadth } from '$lib/whole'

export const TOP = 8
export const INDEX_HEIGHT = 176
export const BREADTH_TOP = 204
export const BREADTH_HEIGHT = 150
export const LEFT = 8
export const RIGHT = 92

/** From which value to which the breadth's plot runs. */
export function reach(found: Breadth): [number, number] {
  const values = found.smoothed.filter((v): v is number => v !== null)
  if (!values.length) return [0, 1]
  const least = Math.min(...values)
  const most = Math.max(...values)
  if (found.shows === 'share' && !found.signed) return [0, Math.min(1, Math.max(0.05, most * 1.06))]
  const room = Math.max((most - least) * 0.05, 1e-9)
  return [Math.min(0, least - room), Math.max(0, most + room)]
}

export function said(found: Breadth, value: number | null | undefined): string {
  return found.shows === 'share' ? percent(value, 1, false) : whole(value).replace('-', '−')
}

export function breadthChart(found: Breadth, marks: string[], up: boolean): Record<string, unknown> {
  const [ink, ember] = ['ink', 'ember'].map((n) => colour(n)) as [string, string]
  const days = found.days
  const grids = [
    { left: LEFT, right: RIGHT, top: TOP, height: INDEX_HEIGHT },
    { left: LEFT, right: RIGHT, top: BREADTH_TOP, height: BREADTH_HEIGHT },
  ]
  const index = found.index.map((v) => (v === null || v <= 0 ? null : Math.log10(v)))
  const floor = lowest(index)
  const [least, most] = reach(found)
  const shown = new Set(marks)
  const upright = {
    silent: true,
    symbol: 'none',
    label: { show: false },
    lineStyle: { color: ember, type: [2, 3], width: 1, opacity: marks.length > 60 ? 0.35 : 0.75 },
    data: days.flatMap((day, i) => (shown.has(day) ? [{ xAxis: i }] : [])),
  }
  return {
    grid: grids,
    ...crosshair(),
    xAxis: daysAxes(days, grids.length, 1, 1),
    yAxis: [
      {
        type: 'value',
        gridIndex: 0,
        scale: true,
        show: false,
        axisPointer: { show: false },
      },
      {
        type: 'value',
        position: 'right',
        gridIndex: 1,
        min: least,
        max: most,
        splitNumber: 2,
        axisLabel: { show: false },
        axisTick: { show: false },
        splitLine: { show: false },
        axisPointer: { show: false },
      },
    ],
    series: [
      {
        ...plainLine,
        name: 'index',
        data: index,
        lineStyle: { color: ink, width: 1.2 },
        markLine: upright,
      },
      {
        type: 'scatter',
        silent: true,
        symbol: 'triangle',
        symbolSize: [8, 6],
        symbolRotate: up ? 0 : 180,
        itemStyle: { color: ember },
        data: marks.length > 60 ? [] : days.flatMap((day, i) => (shown.has(day) ? [[i, floor]] : [])),
      },
      {
        ...plainLine,
        name: 'breadth',
        xAxisIndex: 1,
        yAxisIndex: 1,
        data: found.smoothed,
        lineStyle: { color: ember, width: 1 },
        areaStyle: { color: ember, opacity: 0.16, origin: least < 0 ? 0 : 'start' },
        markLine: upright,
      },
    ],
  }
}

function lowest(values: (number | null)[]): number {
  return Math.min(...values.filter((v): v is number => v !== null))
}
