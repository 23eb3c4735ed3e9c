import { describe, expect, it } from 'vitest'
import { readNumber, writeNumber } from './numbers'

const value = (text: string, decimals: '' | 'point' | 'comma' = '') => {
  const read = readNumber(text, decimals)
  return read.kind === 'number' ? read.value : read.kind
}

describe('numbers as people type them', () => {
  it.each([
    ['13.20', 13.2], ['13,20', 13.2], ['1,5', 1.5], ['0,125', 0.125], ['1 234,5', 1234.5], ['1 234', 1234], ["1'234.50", 1234.5],
    ['1.234,56', 1234.56], ['1,234.56', 1234.56], ['1,234,567', 1234567], ['1.234.567', 1234567], ['1.5k', 1500], ['2m', 2e6], ['2,5m', 2.5e6],
    ['1.1bn', 1.1e9], ['-3', -3], ['−3', -3], ['+3', 3], ['€ 13,20', 13.2], ['13.20 €', 13.2], ['1.234', 1.234], ['5 %', 5], ['.5', 0.5],
  ] as const)('%s is %d', (text, number) => expect(value(text)).toBeCloseTo(number, 9)) // prettier-ignore

  it('what can be read two ways is asked, until the account has chosen', () => {
    expect(readNumber('1,234')).toEqual({ kind: 'unclear', point: 1234, comma: 1.234 })
    expect(value('1,234', 'point')).toBe(1234)
    expect(value('1,234', 'comma')).toBe(1.234)
    expect(value('1.234', 'comma')).toBe(1234)
    expect(value('1.234', 'point')).toBe(1.234)
    expect(value('13,20', 'point')).toBe(13.2)
    expect(value('13.20', 'comma')).toBe(13.2)
  })

  it.each(['abc', '1,2,3', '12,34.5', '1..2', '5x', '1-2', ',', 'k', '--1'])('%s is no number', (text) =>
    expect(readNumber(text).kind).toBe('wrong'),
  )

  it('nothing typed is nothing', () => expect(readNumber('  ').kind).toBe('empty'))

  it('is written with the sign of the account', () => {
    expect(writeNumber(1234.5, 'comma')).toBe('1234,5')
    expect(writeNumber(1234.5)).toBe('1234.5')
    expect(writeNumber(null)).toBe('')
    expect(writeNumber(0.1 + 0.2, '', 4)).toBe('0.3')
  })
})
