import { expect, it } from 'vitest'
import type { MessageRow } from './desk'
import { unseen } from './unseen'

const row = (id: number, kind = 'position', read = false) => ({ id, kind, read }) as MessageRow

it('notifies of each message once, the oldest first, and of none on a first look', () => {
  expect(unseen([row(3), row(2)], null)).toEqual({ fresh: [], seen: 3 })
  expect(unseen([row(5), row(4), row(3)], 3).fresh.map((one) => one.id)).toEqual([4, 5])
  expect(unseen([row(5), row(4)], 5)).toEqual({ fresh: [], seen: 5 })
})

it('leaves out what was read, and the mail of schedules', () => {
  const { fresh, seen } = unseen([row(7, 'schedule'), row(6, 'alert', true), row(5, 'alert')], 4)
  expect([fresh.map((one) => one.id), seen]).toEqual([[5], 7])
})
