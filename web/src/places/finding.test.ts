import { describe, expect, it } from 'vitest'
import { acts, near } from './finding'

describe('a command in words', () => {
  it('is an alert on a price', () => {
    expect(acts('tell me when istyar trades at 56')[0]?.act).toEqual({
      kind: 'price',
      symbol: 'ISTYAR',
      level: 56,
      way: 'either',
    })
    expect(acts('Tell me if ABC falls under 12.5')[0]?.act).toMatchObject({ level: 12.5, way: 'down' })
    expect(acts('tell me when ABC rises to 9')[0]?.act).toMatchObject({ way: 'up' })
  })
  it('is nothing where it says nothing', () => {
    expect(acts('tell me when')).toEqual([])
    expect(acts('ISTYAR')).toEqual([])
  })
})

describe('letters of a name', () => {
  it('stand in it in their order', () => {
    expect(near('prcd', 'Precedents')).toBe(true)
    expect(near('dp', 'Precedents')).toBe(false)
  })
})
