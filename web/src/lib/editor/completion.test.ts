import { expect, it } from 'vitest'
import { options, ownNames, ranked, wholeCall } from './completion'
import type { Entry } from '$lib/api'

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

const NAMES =
  'ha_open open overnight.open ha_high high highest ha_low low relative_strength atr adr head_shoulders vol_z volume rel_volume'
const known = options(
  NAMES.split(' ').map((name) => ({ name, signature: name, help: '', example: '', warm_up: '' }) as Entry),
  ['day'],
)
it.each([
  ['open', ['open', 'ha_open']],
  ['high', ['high', 'highest', 'ha_high']],
  ['low', ['low', 'ha_low']],
  ['adr', ['adr']],
  ['vol', ['vol_z', 'volume', 'rel_volume']],
  ['rstr', ['relative_strength']],
  ['zzz', []],
])('of %s means %s', (typed, wanted) => {
  const found = ranked(
    known.filter((o) => !o.label.includes('.')),
    typed,
  ).map((o) => o.label)
  expect(found.slice(0, wanted.length)).toEqual(wanted)
  if (!wanted.length) expect(found).toEqual([])
})

it('leads to parts by the name before the dot, and knows facts of one’s own', () => {
  const entries = ['overnight.open', 'opening_range.high'].map(
    (name) =>
      ({
        name,
        signature: name === 'opening_range.high' ? 'opening_range(n=30).high' : name,
        help: '',
        example: '',
        warm_up: '',
        bare: true,
      }) as Entry,
  )
  const found = options(entries, [], [], ['tone'])
  const applied = Object.fromEntries(found.map((o) => [o.label, o.apply]))
  expect(applied['overnight']).toBe('overnight.')
  expect(applied['opening_range']).toBe('opening_range(30).')
  expect(applied['own']).toBe('own.')
  expect(found.map((o) => o.label)).toEqual(expect.arrayContaining(['own.tone', 'own_age.tone']))
})
