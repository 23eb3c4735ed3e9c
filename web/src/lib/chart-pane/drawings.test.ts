import { expect, it, vi } from 'vitest'
import { notice } from '$lib/notice.svelte'
import type { Drawing } from '$lib/api'
import { Drawings } from './drawings.svelte'

const { asked, slow, there } = vi.hoisted(() => ({
  asked: [] as string[],
  slow: [] as (() => void)[],
  there: [] as Drawing[],
}))
vi.mock('$lib/queries', () => ({
  ask: { drawings: String },
  client: { fetchQuery: () => Promise.resolve(there) },
}))
vi.mock('$lib/api', () => ({
  sentence: String,
  api: {
    restoreDrawing: (symbol: string, id: number) => Promise.resolve(asked.push(`${id} is back on ${symbol}`)),
    redraw: async (symbol: string, _: unknown, id: number, { points }: { points: { price: number }[] }) => {
      if (points[0]!.price === 2) await new Promise<void>((resolve) => slow.push(resolve))
      asked.push(`${symbol} at ${points[0]!.price}`)
      return { id, kind: 'level', points }
    },
    erase: (symbol: string) => Promise.resolve(asked.push(`erased of ${symbol}`)),
  },
}))
const level = {
  id: 1,
  kind: 'level',
  text: '',
  points: [{ day: '2024-06-28', price: 1 }],
} as unknown as Drawing
const of = { as_of: null, frame: 'day' } as const

it('undoes on the instrument it was done on, whichever is on show by then', async () => {
  const drawings = new Drawings()
  await drawings.load('ALFA', of)
  await drawings.erase(level)
  await drawings.load('BETA', of)
  notice.now!.action!.run()
  await vi.waitFor(() => expect(notice.now?.text).toBe('Level is back.'))
  expect(asked).toEqual(['erased of ALFA', '1 is back on ALFA'])
  expect(drawings.all).toEqual([])
})

it('undoes a move after the move, however slow that is', async () => {
  asked.length = 0
  const drawings = new Drawings()
  await drawings.load('ALFA', of)
  void drawings.move(level, [{ day: '2024-06-28', price: 2 }])
  notice.now!.action!.run()
  await vi.waitFor(() => expect(slow).toHaveLength(1))
  expect(asked).toEqual([])
  slow[0]!()
  await vi.waitFor(() => expect(asked).toEqual(['ALFA at 2', 'ALFA at 1']))
})

it('shows nothing on the scale of another day: that is fetched', async () => {
  const drawings = new Drawings()
  await drawings.load('ALFA', of)
  void drawings.move(level, [{ day: '2024-06-28', price: 3 }])
  const halved = { ...level, points: [{ day: '2024-06-28', price: 1.5 }] }
  there.push(halved)
  await drawings.load('ALFA', { as_of: '2024-07-01', frame: 'day' }) // after a split
  await vi.waitFor(() => expect(asked).toContain('ALFA at 3'))
  await vi.waitFor(() => expect(drawings.all).toEqual([halved]))
})
