import { describe, expect, it } from 'vitest'
import { frozen, keptApart, scaleOf, ticks } from './scale'

it('keeps what is written at heights apart, and above the bottom', () => {
  expect(keptApart([50, 10, 12], 14, 200)).toEqual([50, 10, 24])
  expect(keptApart([195, 190, 30], 14, 200)).toEqual([200, 186, 30])
  expect(keptApart([], 14, 200)).toEqual([])
})

describe('the price axis', () => {
  it('goes there and back', () => {
    for (const log of [true, false]) {
      const scale = scaleOf(log)
      expect(scale.from(Number(scale.to(42.5)))).toBeCloseTo(42.5)
      expect(scale.to(null)).toBe('-')
    }
    expect(scaleOf(true).to(0)).toBe('-')
  })

  it('marks round prices inside its ends', () => {
    expect(ticks(10, 20, 5, false)).toEqual([12, 14, 16, 18])
    const log = ticks(1, 100, 6, true)
    expect(log.every((v) => v > 1 && v < 100)).toBe(true)
    expect(log.length).toBeGreaterThan(3)
    // On a log scale the steps widen with the price.
    expect(log[1]! - log[0]!).toBeLessThan(log.at(-1)! - log.at(-2)!)
  })
})

it('a frozen scale goes on as it was, plain and logarithmic', () => {
  let high = 200
  const plain = (y: number) => high - y
  const kept = frozen(plain, 0, 100)
  high = 500
  expect(kept(50)).toBeCloseTo(150)
  expect(kept(-10)).toBeCloseTo(210)
  expect(frozen((y) => 100 * 2 ** (-y / 50), 0, 100)(75)).toBeCloseTo(100 * 2 ** -1.5)
})
