import { describe, expect, it } from 'vitest'
import { COMMANDS, listed, type Command } from './commands'
import { PLACES } from '../places/places'

describe('the keys', () => {
  it('stand once in each scope, and nowhere take what counts everywhere', () => {
    const rows = Object.entries(COMMANDS)
    const seen = new Map<string, string>()
    for (const [name, row] of rows)
      for (const key of row.keys) {
        const place = `${row.scope} ${key}`
        expect(seen.get(place), `${place}: ${name}`).toBeUndefined()
        seen.set(place, name)
        if (row.scope !== 'everywhere')
          expect(seen.get(`everywhere ${key}`), `${place}: ${name}`).toBeUndefined()
      }
  })

  it('are all listed', () => {
    const shown = listed().flatMap(([, rows]) => rows.map(([name]) => name))
    expect([...shown].sort()).toEqual((Object.keys(COMMANDS) as Command[]).sort())
  })

  it('of the places are of their own', () => {
    const keys = PLACES.filter((place) => place.key).map((place) => place.key)
    expect(new Set(keys).size).toBe(keys.length)
  })
})
