import { describe, expect, it } from 'vitest'
import { csv } from './csv'
import { day, fixed, longDay, percent, price, short, when, whole } from './format'

describe('numbers as a trader reads them', () => {
  it('carry a sign, also beside a colour', () => {
    expect([percent(0.0123), percent(-0.0123), percent(0)]).toEqual(['+1.2%', '−1.2%', '0.0%'])
    expect(percent(-0.00001)).toBe('0.0%')
    expect(percent(0.5, 1, false)).toBe('50.0%')
  })

  it('say unknown with a dash', () => {
    expect([percent(null), fixed(undefined), price(null), whole(null), short(null)]).toEqual([
      '–',
      '–',
      '–',
      '–',
      '–',
    ])
  })

  it('shorten large amounts', () => {
    expect([short(1_840_000), short(920_000), short(12_300_000_000), short(950)]).toEqual([
      '1.84m',
      '920k',
      '12.3b',
      '950',
    ])
    expect([price(41.256), price(1234.5)]).toEqual(['41.26', '1,235'])
  })

  it('write days out', () => {
    expect(longDay('2024-06-28')).toBe('Fri 28 Jun 2024')
    expect(day('2024-06-28')).toBe('28 Jun 2024')
  })
})

it('says a moment on the clock of whoever reads it', () => {
  const at = new Date(2026, 10, 26, 9, 5)
  expect(when(at.toISOString())).toBe('26 Nov 2026, 09:05')
})

describe('CSV', () => {
  it('leaves no text that a spreadsheet would carry out', () => {
    expect(
      csv(
        ['=1+1', 'b'],
        [
          ['@x', -3],
          ['-2', '+5'],
        ],
      ),
    ).toBe("'=1+1,b\r\n'@x,-3\r\n'-2,'+5\r\n")
  })

  it('follows RFC 4180', () => {
    expect(
      csv(
        ['a', 'b'],
        [
          ['x, y', 'say "so"'],
          [1, null],
        ],
      ),
    ).toBe('a,b\r\n"x, y","say ""so"""\r\n1,\r\n')
  })
})
