import { describe, expect, it } from 'vitest'
import { join, lifted, offsetOf, split } from './head'

const TEXT =
  'name: Ten slots\nabout: a test\nuniverse: Harbour 500\nstart: 80k\nslots: 10\nenter "Base" at next open\n'

describe('the head of a book', () => {
  it('is taken off and put back as it was', () => {
    const { headers, body } = split(TEXT)
    expect(headers).toEqual({ name: 'Ten slots', about: 'a test', universe: 'Harbour 500', start: '80k' })
    expect(body.startsWith('slots: 10')).toBe(true)
    expect(join(headers, body)).toBe(TEXT)
    expect(offsetOf(headers)).toBe(4)
  })

  it('leaves what is given twice where its error shows', () => {
    expect(split('name: A\nname: B\nslots: 3').body).toBe('name: B\nslots: 3')
  })

  it('is lifted out of the lines, but not from under the cursor', () => {
    expect(lifted('start: 5k\nslots: 3', 2)).toEqual({ headers: { start: '5k' }, body: 'slots: 3' })
    expect(lifted('start: 5k\nslots: 3', 1)).toBeNull()
    expect(lifted('slots: 3', 1)).toBeNull()
  })
})
