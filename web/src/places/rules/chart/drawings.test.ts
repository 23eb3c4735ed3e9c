import { expect, it, vi } from 'vitest'
import { notice } from '$lib/notice.svelte'
import type { Drawing } from '$lib/api'
import { Drawings } from './drawings.svelte'

const { asked, slow } = vi.hoisted(() => ({ asked: [] as string[], slow: [] as (() => void)[] }))
vi.mock('$lib/queries', () => ({
  ask: { drawings: String },
  client: { fetchQuery: () => Promise.resolve([]) },
}))
vi.mock('$lib/api', () => ({
  sentence: String,
  api: {
    draw: (symbol: string) =>
      Promise.resolve({ id: 2, kind: 'level', points: asked.push(`drawn on ${symbol}`) }),
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
  await vi.waitFor(() => expect(notice.now?.text).toBe('Level drawn.'))
  expect(asked).toEqual(['erased of ALFA', 'drawn on ALFA'])
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
