import { beforeEach, expect, it, vi } from 'vitest'
import { listen, take, unfinished, watchJob, type JobEvent } from './invalidation'
import { client } from './queries'

const job = (id: number, state: JobEvent['state'], share = 0): { what: 'job' } & JobEvent => ({
  what: 'job',
  id,
  state,
  share,
  stage: 'Measuring',
  detail: '',
  kind: 'study',
  subject_kind: 'rule',
  subject_id: 7,
})
const list = ['jobs', 'studies', 7]
const stale = (key: unknown[]) => client.getQueryState(key)?.isInvalidated

beforeEach(() => client.clear())

it('carries progress into the list of studies and makes it void when one has ended', async () => {
  client.setQueryData(list, [{ id: 1, kind: 'study', state: 'running', share: 0 }])
  take(job(1, 'running', 0.5))
  expect(client.getQueryData(list)).toMatchObject([{ id: 1, share: 0.5 }])
  expect(stale(list)).toBe(false)
  take(job(1, 'done', 1))
  await vi.waitFor(() => expect(stale(list)).toBe(true))
})

it('tells of a job that ended before anybody knew its number', async () => {
  take(job(2, 'done', 1))
  const tell = vi.fn()
  const end = watchJob(2, tell)
  await Promise.resolve()
  expect(tell).toHaveBeenCalledWith(expect.objectContaining({ id: 2, state: 'done' }))
  end()
  take(job(2, 'done', 1))
  expect(tell).toHaveBeenCalledTimes(1)
})

it('looks at every watched job again when the stream begins anew', () => {
  const tell = vi.fn()
  const end = watchJob(3, tell)
  take({ what: 'everything' })
  expect(tell).toHaveBeenCalledWith(null)
  end()
})

it('makes void what depends on the data when an import has come, and leaves preferences alone', async () => {
  const keys = [['bars', 'scan', {}], ['market'], ['preferences'], ['rules']]
  for (const key of keys) client.setQueryData(key, 1)
  take({ what: 'market' })
  await vi.waitFor(() => expect(keys.map(stale)).toEqual([true, true, false, true]))
})

it('relies on nothing once a kind of event comes that it does not know', async () => {
  const keys = [['bars', 'scan', {}], ['rules'], ['breadths'], ['preferences']]
  for (const key of keys) client.setQueryData(key, 1)
  take({ what: 'of a later version' as 'everything' })
  await vi.waitFor(() => expect(keys.map(stale)).toEqual([true, true, true, false]))
})

it('knows what has not ended', () => {
  expect(
    (['waiting', 'running', 'done', 'failed', 'interrupted'] as const).map((state) => unfinished({ state })),
  ).toEqual([true, true, false, false, false])
})

it('lets a page fetch once its stream stands, or as soon as there is none to wait for', async () => {
  const streams: {
    onmessage: (message: { data: string }) => void
    onerror: () => void
    close: () => void
  }[] = []
  vi.stubGlobal('document', {
    visibilityState: 'visible',
    addEventListener: vi.fn(),
    removeEventListener: vi.fn(),
  })
  vi.stubGlobal(
    'EventSource',
    class {
      constructor() {
        streams.push(this as never)
      }
      static CLOSED = 2
      readyState = 0
      close = vi.fn()
    },
  )
  const stands = vi.fn()
  for (const first of [
    () => streams.at(-1)!.onmessage({ data: '{"what": "everything"}' }),
    () => streams.at(-1)!.onerror(),
  ]) {
    const listening = listen()
    void listening.then(stands)
    await Promise.resolve()
    expect(stands).not.toHaveBeenCalled()
    first()
    const end = await listening
    expect(stands).toHaveBeenCalledTimes(1)
    stands.mockClear()
    end()
    expect(streams.at(-1)!.close).toHaveBeenCalled()
  }
  expect(streams).toHaveLength(2)
  vi.unstubAllGlobals()
})
