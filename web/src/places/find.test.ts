import { expect, it } from 'vitest'
import { finder } from './find'

const ALIKE = [
  ['market cap', 'company size', 'market_cap'],
  ['previous bar', 'ago', 'yesterday'],
]

it('finds by meaning', () => {
  expect(finder('company size', ALIKE)('market_cap: shares times price')).toBe(true)
  expect(finder('yesterday', ALIKE)('the value so many bars ago')).toBe(true)
  expect(finder('volume average', ALIKE)('the average of the volume')).toBe(true)
  expect(finder('volume average', ALIKE)('the average of the close')).toBe(false)
  expect(finder('company size', [['company size', 'use']])('the average used in it')).toBe(false)
  expect(finder('', ALIKE)('anything')).toBe(true)
})
