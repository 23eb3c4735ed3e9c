import { expect, it } from 'vitest'
import { nearest, timeline } from './timeline'

it('puts the first and the last day at the margins and the years between', () => {
  const line = timeline('2020-01-01', '2022-01-01', 210, 5)
  expect(line.x('2020-01-01')).toBe(5)
  expect(line.x('2022-01-01')).toBe(205)
  expect(line.years.map((y) => y.label)).toEqual(['2021', '2022'])
  expect(line.years[0]!.x).toBeCloseTo(105, 0)
})

it('survives a single day', () => {
  expect(timeline('2020-01-01', '2020-01-01', 100, 4).x('2020-01-01')).toBe(4)
})

it('finds what is near enough', () => {
  const marks = [{ x: 10 }, { x: 14 }, { x: 40 }]
  expect(nearest(marks, 13, 7)).toEqual({ x: 14 })
  expect(nearest(marks, 27, 7)).toBeNull()
})
