/** The axis of days that charts of one series over many years share: a tick label where a year begins. */
import { colour } from '$lib/theme.svelte'
import { MONO } from './echarts'

export const axisText = () => ({ fontFamily: MONO, fontSize: 11, color: colour('ink3') })

/** The days of each of the grids, all under one crosshair. labelled, lined: the grids that show the years, and a line. */
export function daysAxes(
  days: string[],
  grids: number,
  labelled: number,
  lined: number,
): Record<string, unknown>[] {
  const begins = (index: number) => index > 0 && days[index]!.slice(0, 4) !== days[index - 1]!.slice(0, 4)
  return Array.from({ length: grids }, (_, gridIndex) => ({
    type: 'category',
    gridIndex,
    data: days,
    boundaryGap: false,
    axisTick: { show: false },
    axisLine: { show: gridIndex === lined, lineStyle: { color: colour('ink3') }, onZero: true },
    axisLabel: {
      ...axisText(),
      show: gridIndex === labelled,
      interval: begins,
      hideOverlap: true,
      formatter: (day: string) => day.slice(0, 4),
    },
    axisPointer: { label: { show: false } },
  }))
}

/** One crosshair through all grids; what stands under it is written elsewhere on the page. */
export const crosshair = () => ({
  axisPointer: {
    link: [{ xAxisIndex: 'all' }],
    lineStyle: { color: colour('ink2'), type: 'solid', width: 1 },
  },
  tooltip: { trigger: 'axis', showContent: false, axisPointer: { type: 'line' } },
})

export const plainLine = { type: 'line', symbol: 'none', silent: true, animation: false, sampling: 'lttb' }
