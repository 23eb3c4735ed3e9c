import { describe, expect, it } from 'vitest'
import { asLine, inShort, join, offsetOf, split } from './head'

const TEXT =
  'universe: Harbour 500\nshows: count\nless: low <= lowest(low, 52w)\n\nhigh >= highest(high, 52w)'

describe('the text of a breadth', () => {
  it('is its head and its condition, and comes back as it was', () => {
    const found = split(TEXT)
    expect(found.head).toEqual({ universe: 'Harbour 500', shows: 'count', less: 'low <= lowest(low, 52w)' })
    expect(found.body).toBe('high >= highest(high, 52w)')
    expect(join(found)).toBe(TEXT)
    expect(offsetOf(found.head)).toBe(4)
  })
  it('leaves a second line of the same kind where its error shows', () => {
    expect(split('bars: day\nbars: week\nclose > 1').body).toBe('bars: week\nclose > 1')
  })
  it('is said in short', () => {
    expect(inShort('# what\nclose > 1\nvolume > 2')).toBe('close > 1 and 1 more')
    expect(inShort('')).toBe('')
  })
})

describe('a passing as a line', () => {
  const plain = split('universe: Harbour 500\n\nclose > sma(50)')
  it('names a kept breadth', () => {
    expect(asLine(plain, 'Near', { level: 0.15, way: 'above' }, true)).toBe(
      'breadth("Near") crosses below 15%',
    )
  })
  it('says a condition of one line with its universe, smoothed as it is shown', () => {
    expect(asLine(plain, null, { level: 0.6, way: 'below', smooth: 5 }, true)).toBe(
      'sma(breadth(close > sma(50), for="Harbour 500"), 5) crosses above 60%',
    )
  })
  it('cannot say what takes more than a line and has no name', () => {
    expect(asLine(split('close > 1\nvolume > 2'), null, { level: 0.5 }, true)).toBe(null)
    expect(asLine(split(TEXT), null, { level: 5 }, false)).toBe(null)
  })
})
