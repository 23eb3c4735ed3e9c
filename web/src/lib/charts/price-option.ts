/** The price chart as the chart library wants it: bars, levels, hits, volume, and panes of measures below. */
import type { Chart } from '$lib/api'
import { monthName, price, read, short } from '$lib/format'
import { MONO } from './echarts'
import { keptApart, ticks, type Scale } from './scale'

export interface Colours {
  ink: string
  ink2: string
  ink3: string
  paper: string
  hair: string
  ember: string
}

export interface Plot {
  data: Chart
  scale: Scale
  /** Prices that the axis reaches however far off they lie. */
  reach?: number[]
  /** Bars shown at first, the latest last. */
  shown: number
  height: number
  colours: Colours
  marks?: Mark[]
}

const FOOT = 24
const AS_BARS = /hist\b|^squeeze_bars|^rel_volume|^streak/

/** The price axis around what the window shows: bars and levels, marks that lie near them, and what was brought into view, with a little air. */
export function priceAxis(
  { data, scale, marks = [], reach = [] }: Pick<Plot, 'data' | 'scale' | 'marks' | 'reach'>,
  begin: number,
  end: number,
) {
  const seen = [data.low, data.high, ...data.overlays.map((o) => o.values)]
    .flatMap((column) => column.slice(Math.max(0, begin), end + 1))
    .filter((v): v is number => v !== null && v > 0)
  if (!seen.length) return {}
  const [least, most] = [Number(scale.to(Math.min(...seen))), Number(scale.to(Math.max(...seen)))]
  const near = marks
    .map((mark) => Number(scale.to(mark.value)))
    .filter((at) => at > least - (most - least) / 3 && at < most + (most - least) / 3)
  near.push(...reach.filter((price) => price > 0).map((price) => Number(scale.to(price))))
  const [low, high] = [Math.min(least, ...near), Math.max(most, ...near)]
  const air = Math.max((high - low) * 0.06, scale.log ? 0.002 : high * 0.002)
  const [min, max] = [low - air, high + air]
  const at = ticks(Math.max(scale.from(min), 1e-9), scale.from(max), 6, scale.log).map((v) =>
    Number(scale.to(v)),
  )
  return {
    min,
    max,
    axisLabel: { customValues: at },
    splitLine: { customValues: at },
    axisTick: { customValues: at },
  }
}

/** Heights from the top: prices, volume, then each pane. */
export function layout(height: number, panes: number): { top: number; height: number }[] {
  const room = Math.max(height - 10 - FOOT, 80)
  const pane = panes ? Math.max(34, Math.min(room * 0.17, (room * 0.5) / panes)) : 0
  const volume = Math.max(24, (room - pane * panes) * 0.17)
  const prices = room - volume - pane * panes - 8 * (panes + 1)
  const found = [{ top: 10, height: prices }]
  let top = 10 + prices + 8
  for (const tall of [volume, ...Array<number>(panes).fill(pane)]) {
    found.push({ top, height: tall })
    top += tall + 8
  }
  return found
}

type Unit = 'year' | 'month' | 'day' | 'hour'
/** As much of a bar's name as tells its year, month, day or hour from the next. */
const TOLD: Record<Unit, number> = { year: 4, month: 7, day: 10, hour: 13 }
const OFTEN: Partial<Record<Chart['frame'], number>> = { '5min': 160, '15min': 53, '30min': 26, '65min': 12 }

/** What stands along the foot: months, or only years where there is much to see; within the day sessions, and hours of a few of them. */
function unitOf(data: Chart, shown: number): Unit {
  const few = OFTEN[data.frame]
  if (few) return shown <= few ? 'hour' : 'day'
  return data.frame === 'month' || shown > (data.frame === 'week' ? 110 : 530) ? 'year' : 'month'
}

function label(data: Chart, index: number, unit: Unit): string {
  const at = data.days[index]
  if (!at) return ''
  const month = monthName(at)
  if (unit === 'year' || (unit === 'month' && month === 'Jan')) return at.slice(0, 4)
  if (unit === 'month') return month
  if (unit === 'hour' && at.slice(0, 10) === data.days[index - 1]?.slice(0, 10)) return at.slice(11, 16)
  return `${Number(at.slice(8, 10))} ${month}`
}

function newPeriod(data: Chart, index: number, unit: Unit): boolean {
  const [at, before] = [data.days[index], data.days[index - 1]]
  // Hours beside a session's beginning would stand in its name.
  if (unit === 'hour' && at && before?.slice(0, 10) === at.slice(0, 10)) {
    const anHour = Math.ceil(OFTEN[data.frame]! / 13)
    for (const beside of [data.days[index - anHour] ?? '', data.days[index + anHour] ?? at])
      if (beside.slice(0, 10) !== at.slice(0, 10)) return false
  }
  return Boolean(at && before && at.slice(0, TOLD[unit]) !== before.slice(0, TOLD[unit]))
}

/** A price that is named at the right end. */
export interface Mark {
  label: string
  value: number
}

export interface Name {
  label: string
  full: string
  y: number
  strength: number
}

/** Names of the lines of one plot at their right ends, kept apart so that each can be read. */
export function names(
  lines: { label: string; values: (number | null)[] }[],
  last: number,
  y: (value: number) => number,
  top: number,
  bottom: number,
  marks: Mark[] = [],
): Name[] {
  const GAP = 14
  const found: Name[] = []
  const add = (label: string, value: number, strength: number) =>
    found.push({
      label: crop(label),
      full: label,
      y: Math.min(Math.max(y(value), top + 6), bottom - 4),
      strength,
    })
  lines.forEach((line, i) => {
    const value = line.values[last]
    if (value !== null && value !== undefined) add(line.label, value, Math.min(i, 3))
  })
  for (const mark of marks) {
    const at = y(mark.value)
    if (at > top && at < bottom) add(mark.label, mark.value, 3)
  }
  const apart = keptApart(
    found.map((one) => one.y),
    GAP,
    bottom - 4,
  )
  found.forEach((one, i) => (one.y = apart[i]!))
  return found
}

const crop = (name: string) => (name.length > 17 ? `${name.slice(0, 16)}…` : name)

/** Room at the right for the names, before the prices. */
export function roomFor(data: Chart, marks: Mark[] = []): number {
  const named = [...data.overlays, ...marks].map((o) => o.label)
  const all = [...named, ...data.panes.flat().map((line) => line.text)]
  return all.length ? Math.min(17, Math.max(...all.map((n) => n.length))) * 7.4 + 10 : 4
}

export function priceOption(plot: Plot): Record<string, unknown> {
  const { data, scale, shown, height, colours, marks } = plot
  const { ink, ink2, ink3, paper, hair, ember } = colours
  const size = data.days.length
  const begin = Math.max(0, size - shown)
  const axis = priceAxis(plot, begin, size - 1)
  const grids = layout(height, data.panes.length)
  const named = roomFor(data, marks)
  const unit = unitOf(data, shown)
  const right = Math.round(named + 58)
  const text = { fontFamily: MONO, fontSize: 12, color: ink3 }
  const strengths = [
    { color: ink, width: 1.4, type: 'solid' as const },
    { color: ink2, width: 1.2, type: 'solid' as const },
    { color: ink3, width: 1.2, type: 'solid' as const },
    { color: ember, width: 1.2, type: 'dashed' as const },
  ]
  const all = grids.map((_, i) => i)
  return {
    animation: false,
    grid: grids.map(({ top, height: tall }) => ({ left: 8, right, top, height: tall })),
    axisPointer: { link: [{ xAxisIndex: 'all' }] },
    tooltip: {
      trigger: 'axis',
      showContent: false,
      axisPointer: { type: 'cross', lineStyle: { color: ink3 }, crossStyle: { color: ink3 } },
    },
    dataZoom: [
      {
        type: 'inside',
        xAxisIndex: all,
        startValue: begin,
        endValue: size - 1,
        minValueSpan: Math.min(20, size),
      },
    ],
    xAxis: all.map((gridIndex) => ({
      type: 'category',
      gridIndex,
      data: data.days.map((_, i) => i),
      boundaryGap: true,
      axisLine: { show: gridIndex > 1, lineStyle: { color: hair } },
      axisTick: { show: false },
      axisPointer: { label: { show: false } },
      axisLabel: {
        show: gridIndex === grids.length - 1,
        ...text,
        interval: (index: number) => newPeriod(data, index, unit),
        formatter: (value: string) => label(data, Number(value), unit),
        hideOverlap: true,
      },
    })),
    yAxis: all.map((gridIndex) =>
      gridIndex === 0
        ? {
            id: 'price',
            type: 'value',
            position: 'right',
            min: axis.min,
            max: axis.max,
            axisTick: { show: false, ...(axis.axisTick as object) },
            axisLine: { show: false },
            axisLabel: {
              ...text,
              ...(axis.axisLabel as object),
              margin: named + 4,
              formatter: (v: number) => price(scale.from(v)),
            },
            splitLine: { lineStyle: { color: hair, opacity: 0.6 }, ...(axis.splitLine as object) },
            axisPointer: {
              label: {
                formatter: (p: { value: number }) => price(scale.from(p.value)),
                fontFamily: MONO,
                backgroundColor: ink,
                color: paper,
              },
            },
          }
        : {
            type: 'value',
            gridIndex,
            position: 'right',
            scale: gridIndex > 1,
            splitNumber: 2,
            axisLine: { show: false },
            axisTick: { show: false },
            axisLabel: {
              show: gridIndex > 1,
              ...text,
              fontSize: 11,
              showMinLabel: false,
              showMaxLabel: false,
              margin: named + 4,
              formatter: (v: number) => {
                const line = data.panes[gridIndex - 2]?.[0]
                return line ? read(v, line.shown, line.text) : short(v)
              },
            },
            splitLine: { show: gridIndex > 1, lineStyle: { color: hair, opacity: 0.5 } },
            axisPointer: { show: false },
          },
    ),
    series: [
      {
        type: 'candlestick',
        name: 'bars',
        // Opening, closing, lowest, highest: the order the library asks for.
        data: data.days.map((_, i) => [
          scale.to(data.open[i]),
          scale.to(data.close[i]),
          scale.to(data.low[i]),
          scale.to(data.high[i]),
        ]),
        itemStyle: { color: paper, color0: ink, borderColor: ink, borderColor0: ink, borderWidth: 1 },
        barMaxWidth: 9,
      },
      ...data.overlays.map((overlay, i) => {
        const stroke = strengths[Math.min(i, strengths.length - 1)]!
        return {
          type: 'line',
          name: overlay.label,
          data: overlay.values.map(scale.to),
          symbol: 'none',
          lineStyle: stroke,
          z: 3,
          silent: true,
        }
      }),
      {
        type: 'scatter',
        name: 'hits',
        data: data.hits.map((i) => [i, scale.to(data.low[i])]),
        symbol: 'triangle',
        symbolSize: 8,
        symbolOffset: [0, 9],
        itemStyle: { color: ember },
        z: 4,
        cursor: 'pointer',
      },
      {
        type: 'bar',
        name: 'volume',
        xAxisIndex: 1,
        yAxisIndex: 1,
        data: data.volume.map((value, i) => ({
          value,
          itemStyle: { color: ink3, opacity: (data.close[i] ?? 0) >= (data.open[i] ?? 0) ? 0.4 : 0.8 },
        })),
        barMaxWidth: 7,
        silent: true,
      },
      ...data.panes.flatMap((lines, pane) =>
        lines.map((line, i) => {
          const stroke = strengths[Math.min(i, 2)]!
          const place = { xAxisIndex: pane + 2, yAxisIndex: pane + 2, name: line.text, silent: true }
          const values = line.values.map((v) => v ?? '-')
          if (line.shown === 'truth' || AS_BARS.test(line.text))
            return {
              ...place,
              type: 'bar',
              data: values,
              barMaxWidth: 7,
              itemStyle: { color: line.shown === 'truth' ? ember : ink3, opacity: 0.6 },
            }
          return {
            ...place,
            type: 'line',
            data: values,
            symbol: 'none',
            lineStyle: stroke,
          }
        }),
      ),
    ],
    graphic: data.panes.flatMap((lines, pane) =>
      lines
        .filter((line) => line.error)
        .map((line) => ({
          type: 'text',
          left: 12,
          top: grids[pane + 2]!.top + 2,
          silent: true,
          style: { text: `${line.text}: ${line.error}`, fill: ink2, font: `12px ${MONO}` },
        })),
    ),
  }
}
