import { expect, it } from 'vitest'
import type { Hit, Scan } from '$lib/api'
import { withRuns } from './runs'

const hit = (symbol: string, days: number, longer: boolean) => ({ symbol, days, longer }) as unknown as Hit
const scan = (...hits: Hit[]) => ({ hits, scanned: 9 }) as unknown as Scan

it('tells how long the older hits have been hits, once that is known', () => {
  const before = scan(hit('A', 1, false), hit('B', 48, true), hit('C', 48, true))
  const after = withRuns(before, { A: 1, B: 120 })!
  expect(after.hits.map((h) => [h.symbol, h.days, h.longer])).toEqual([
    ['A', 1, false],
    ['B', 120, false],
    ['C', 48, true],
  ])
  expect(before.hits[1]!.days).toBe(48)
  expect(after.scanned).toBe(9)
})

it('leaves a scan alone that says all already, or of which nothing more is known', () => {
  const said = scan(hit('A', 3, false))
  expect(withRuns(said, { A: 3 })).toBe(said)
  expect(withRuns(said, undefined)).toBe(said)
  expect(withRuns(null, { A: 1 })).toBe(null)
})
