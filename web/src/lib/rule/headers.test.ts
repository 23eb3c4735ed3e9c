import { describe, expect, it } from 'vitest'
import { join, lifted, offsetOf, split, toggleSkip, turnDial, withName, written } from './headers'

const TEXT = 'name: Tall\nside: short\n\nclose > 10\n'

describe('a rule as controls and lines', () => {
  it('comes apart and goes together again', () => {
    const parts = split(TEXT)
    expect(parts.headers).toEqual({ name: 'Tall', side: 'short' })
    expect(parts.body).toBe('close > 10\n')
    expect(join(parts.headers, parts.body)).toBe(TEXT)
    expect(offsetOf(parts.headers)).toBe(parts.offset)
  })

  it('leaves what it does not know in the body, where the error shows', () => {
    expect(split('colour: red\nclose > 1').body).toBe('colour: red\nclose > 1')
    expect(split('name: A\nname: B\nclose > 1').body).toBe('name: B\nclose > 1')
  })

  it('keeps a group apart from a header', () => {
    expect(split('any of:\n    close > 1').headers).toEqual({})
  })

  it('lifts a head out of what was written or pasted, but not the line the cursor stands on', () => {
    expect(lifted('universe: Harbour 500\nname: Tall\n\nclose > 1', 4)).toEqual({
      headers: { universe: 'Harbour 500', name: 'Tall' },
      body: 'close > 1',
    })
    expect(lifted('universe: Harb', 1)).toBeNull()
    expect(lifted('universe: Harbour 500\n', 2)).toEqual({ headers: { universe: 'Harbour 500' }, body: '' })
    expect(lifted('side: short\nuniverse: Harb', 2)).toEqual({
      headers: { side: 'short' },
      body: 'universe: Harb',
    })
    expect(lifted('close > 1\nuniverse: Harbour 500', 1)).toBeNull()
    expect(lifted('universe:\nclose > 1', 2)).toBeNull()
    expect(lifted('side: sideways\nclose > 1', 2)).toBeNull()
    expect(lifted('any of:\n    close > 1', 2)).toBeNull()
    expect(lifted('name: A\nname: B\nclose > 1', 3)).toEqual({
      headers: { name: 'A' },
      body: 'name: B\nclose > 1',
    })
  })

  it('turns a dial in its own unit', () => {
    expect(turnDial('dial dip = 4% from 2% to 12%', 'dip', 0.05, true)).toBe('dial dip = 5% from 2% to 12%')
    expect(turnDial('dial n = 60 from 20 to 250\nclose > n', 'n', 70, false)).toBe(
      'dial n = 70 from 20 to 250\nclose > n',
    )
    expect(turnDial('dial dip = 0.3 from 0 to 1', 'dip', 0.1 + 0.2, false)).toBe('dial dip = 0.3 from 0 to 1')
  })

  it('skips a line and counts it again', () => {
    const body = 'close > 1\nany of:\n    open > 2\n'
    expect(toggleSkip(body, 3)).toBe('close > 1\nany of:\n    skip open > 2\n')
    expect(toggleSkip(toggleSkip(body, 1), 1)).toBe(body)
    expect(toggleSkip(body, 9)).toBe(body)
  })

  it('takes another name', () => {
    expect(withName('name: A\nside: short\n\nclose > 1', 'B')).toBe('name: B\nside: short\n\nclose > 1')
  })
})

it.each([
  [20_000_000, '20m'],
  [1500, '1.5k'],
  [1_234, '1234'],
  [2_500_000_000, '2.5b'],
  [0.25, '0.25'],
  [999, '999'],
])('%d is written %s', (value, said) => {
  expect(written(value)).toBe(said)
})
