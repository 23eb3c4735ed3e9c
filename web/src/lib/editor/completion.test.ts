import { expect, it } from 'vitest'
import { ownNames, wholeCall } from './completion'

it.each([
  ['close > sma(high, 50) 1 ago', 'sma', 'sma(high, 50)'],
  ['max(sma(5), ema(9)) > close', 'max', 'max(sma(5), ema(9))'],
  ['max(sma(5), ema(9)) > close', 'ema', 'ema(9)'],
  ['close > base', 'base', 'base'],
  ['close > sma(5', 'sma', 'sma'],
])('in %s, %s is %s', (line, name, whole) => {
  const from = line.indexOf(name)
  expect(wholeCall(line, from, from + name.length)).toBe(whole)
})

it('finds the names of the rule itself', () => {
  expect(ownNames('let a = 5\n  dial b = 2 from 1 to 3\nclose > a')).toEqual(['a', 'b'])
})
