import { describe, expect, it } from 'vitest'
import { readUniverse, writeUniverse } from './universe'

const KNOWN = ['Large', 'Highs', 'Highs and lows']

describe('a universe put together', () => {
  it.each(['Large', 'Large and Highs', 'Large without Highs and lows or Highs', 'Highs and lows'])(
    '%s',
    (text) => {
      expect(writeUniverse(readUniverse(text, KNOWN))).toBe(text)
    },
  )

  it('means the longest known name', () => {
    expect(readUniverse('Highs and lows and Large', KNOWN)).toEqual([
      { join: '', name: 'Highs and lows' },
      { join: 'and', name: 'Large' },
    ])
  })

  it('keeps what it does not know', () => {
    expect(readUniverse('Tiny or Large', KNOWN).map((p) => p.name)).toEqual(['Tiny', 'Large'])
    expect(readUniverse('', KNOWN)).toEqual([])
  })
})
