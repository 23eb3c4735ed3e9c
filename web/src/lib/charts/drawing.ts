/** What is drawn on a chart, in the chart's own places: bars by index, prices as printed on the as-of day. */
import type { Chart, Drawing } from '$lib/api'
import type { View } from './PriceChart.svelte'

export type Kind = 'line' | 'level' | 'range' | 'text'
export interface Point {
  day: string
  price: number
}
export const POINTS: Record<Kind, 1 | 2> = { line: 2, level: 1, range: 2, text: 1 }
export const NAMES: Record<Kind, string> = {
  line: 'Trend line',
  level: 'Level',
  range: 'Range',
  text: 'Text',
}
const NEAR = 12

/** The bar that holds a day: itself on day bars, the week or month around it on longer ones. */
export function indexOf(chart: Chart, day: string): number {
  const at = chart.days.findIndex((d) => d >= day)
  return at < 0 ? chart.days.length - 1 : at
}

/** The place meant by a pointer: the high or low of the bar under it where one is near, else the place itself. */
export function snap(chart: Chart, view: View, x: number, y: number, sticky: boolean): Point {
  const index = Math.min(Math.max(view.index(x), 0), chart.days.length - 1)
  const day = chart.days[index]!
  if (sticky) {
    const near = [chart.high[index], chart.low[index]]
      .filter((v): v is number => v !== null)
      .map((v) => ({ v, gap: Math.abs(view.y(v) - y) }))
      .sort((a, b) => a.gap - b.gap)[0]
    if (near && near.gap <= NEAR) return { day, price: near.v }
  }
  return { day, price: Number(view.price(y).toPrecision(7)) }
}

/** The pixels of a line's values; they end on the latest bar. */
export function path(chart: Chart, view: View, values: (number | null)[]): string {
  const first = chart.days.length - values.length
  const steps: string[] = []
  values.forEach((value, i) => {
    const index = first + i
    if (value === null || value <= 0 || index < 0) return
    const x = view.x(index)
    if (x < view.plot.left - 40) return
    steps.push(`${x.toFixed(1)},${view.y(value).toFixed(1)}`)
  })
  return steps.length ? `M${steps.join('L')}` : ''
}

export function points(drawing: Drawing): Point[] {
  return drawing.points.map(({ day, price }) => ({ day, price }))
}

/** The points moved by so many bars and by a ratio of price. */
export function shifted(chart: Chart, moved: Point[], bars: number, ratio: number): Point[] {
  const at = moved.map((p) => indexOf(chart, p.day) + bars)
  const [least, most] = [Math.min(...at), Math.max(...at)]
  const held = least < 0 ? -least : most > chart.days.length - 1 ? chart.days.length - 1 - most : 0
  return moved.map((p, i) => ({
    day: chart.days[at[i]! + held]!,
    price: Number((p.price * ratio).toPrecision(7)),
  }))
}
