import { expect, it, vi } from 'vitest'
import { attempt, once, undoable } from './mutation'
import { notice } from './notice.svelte'

const seen = vi.hoisted(() => ({ forgotten: [] as (string | undefined)[], fetched: Promise.resolve() }))
vi.mock('./api', () => ({ sentence: (error: Error) => error.message }))
vi.mock('./queries', async () => {
  const { notice } = await import('./notice.svelte')
  return {
    forget: (...about: string[]) => {
      seen.forgotten = [...about, notice.now?.text]
      return seen.fetched
    },
  }
})

it('says what was done before anything on the page changes', async () => {
  await attempt(['rules'], () => Promise.resolve(undoable('It is deleted.', ['rules'], vi.fn())))
  expect(seen.forgotten).toEqual(['rules', 'It is deleted.'])
})

it('takes the Undo of the deed before off the page as the next begins', async () => {
  undoable('The first is deleted.', [], vi.fn())
  await attempt([], () => Promise.resolve(expect(notice.now).toBeNull()))
})

it('says why something is refused, also where it was to be undone', async () => {
  const refused = () => Promise.reject(new Error('There is no such rule any more.'))
  expect(await attempt(['rules'], refused)).toBe(false)
  expect(notice.now?.text).toBe('There is no such rule any more.')
  expect(seen.forgotten).toEqual(['rules', 'There is no such rule any more.'])
  undoable('It is deleted.', ['rules'], refused)
  notice.now!.action!.run()
  await vi.waitFor(() => expect(notice.now?.text).toBe('There is no such rule any more.'))
})

it('does nothing twice that is pressed again while the answer is on its way', async () => {
  const answers: (() => void)[] = []
  const press = once(() => new Promise<void>((resolve) => answers.push(resolve)))
  const submit = new Event('submit', { cancelable: true })
  const first = press(submit)
  await press(new Event('submit'))
  expect([answers.length, submit.defaultPrevented]).toEqual([1, true])
  answers[0]!()
  await first
  void press(new Event('click'))
  expect(answers).toHaveLength(2)
})
