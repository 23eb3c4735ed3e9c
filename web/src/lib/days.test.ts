import { expect, it } from 'vitest'
import { moved } from './days'

it.each([
  ['2024-06-28', -1, 'week', '2024-06-21'],
  ['2024-03-31', -1, 'month', '2024-02-29'],
  ['2023-12-31', 1, 'month', '2024-01-31'],
  ['2024-01-31', 1, 'month', '2024-02-29'],
] as const)('%s and %i %s is %s', (from, by, unit, to) => {
  expect(moved(from, by, unit)).toBe(to)
})
