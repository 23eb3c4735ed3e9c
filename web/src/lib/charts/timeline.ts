/** A line of days across some width: where each day stands, the years along it, and the day under the pointer. */
export interface Timeline {
  x: (day: string) => number
  years: { label: string; x: number }[]
}

export function timeline(first: string, last: string, width: number, margin: number): Timeline {
  const [from, to] = [Date.parse(first), Date.parse(last)]
  const x = (day: string) =>
    ((Date.parse(day) - from) / Math.max(to - from, 1)) * Math.max(width - 2 * margin, 1) + margin
  const years = []
  for (let year = Number(first.slice(0, 4)) + 1; year <= Number(last.slice(0, 4)); year++)
    years.push({ label: String(year), x: x(`${year}-01-01`) })
  return { x, years }
}

/** What stands nearest to a place, within so many pixels. */
export function nearest<T extends { x: number }>(marks: T[], at: number, within: number): T | null {
  let best: T | null = null
  for (const mark of marks) if (Math.abs(mark.x - at) < (best ? Math.abs(best.x - at) : within)) best = mark
  return best
}
