/** The stream of what moved on the server. What it tells makes the answers void that depend on it, so that nothing need ask by a clock. */
import type { AnyRun } from './api'
import { STALE_AFTER } from './constants'
import { client, forget } from './queries'
import { server } from './server.svelte'

export type JobEvent = Pick<AnyRun, 'id' | 'state' | 'stage' | 'share' | 'detail'> & {
  kind: string
  subject_kind: string
  subject_id: number | null
}
type Kind = keyof typeof STALE_AFTER
type Event = ({ what: 'job' } & JobEvent) | { what: Kind }

const KEPT = 100
const PATIENCE = 1_000 // of a page that opens, for the stream's first word
const AGAIN = 5_000 // after a refusal, which the browser does not try again by itself

let stream: EventSource | null = null
let again: ReturnType<typeof setTimeout> | undefined
/** The last that was heard of each job: it may be told before the answer that names the job is here. */
const heard = new Map<number, JobEvent>()
const watchers = new Set<{ id: number; tell: (event: JobEvent | null) => void }>()

export const unfinished = (run: Pick<AnyRun, 'state'> | null) =>
  run?.state === 'waiting' || run?.state === 'running'

/** Tells of a job from now on, beginning with what was heard of it before; null where it has to be looked at. Returns how to end that. */
export function watchJob(id: number, tell: (event: JobEvent | null) => void): () => void {
  const watcher = { id, tell }
  watchers.add(watcher)
  const known = heard.get(id)
  if (known) queueMicrotask(() => watchers.has(watcher) && tell(known))
  return () => watchers.delete(watcher)
}

function jobMoved(event: JobEvent): void {
  heard.delete(event.id)
  heard.set(event.id, event)
  for (const old of [...heard.keys()].slice(0, -KEPT)) heard.delete(old)
  for (const { id, tell } of [...watchers]) if (id === event.id) tell(event)
  const list = ['jobs', event.subject_kind === 'book' ? 'books' : 'studies', event.subject_id]
  const known = client.getQueryData<AnyRun[]>(list)?.some((run) => run.id === event.id)
  if (known && unfinished(event))
    client.setQueryData<AnyRun[]>(list, (runs) =>
      runs?.map((run) => (run.id === event.id ? { ...run, ...event, kind: run.kind } : run)),
    )
  else if (unfinished(event)) void client.invalidateQueries({ queryKey: list })
  else forget('jobs')
}

export function take(event: Event): void {
  if (event.what === 'job') return jobMoved(event)
  // What this page has never heard of comes from a newer server: nothing on show is to be relied on.
  const kind: Kind = event.what in STALE_AFTER ? event.what : 'everything'
  forget(...STALE_AFTER[kind])
  if (kind === 'alerts' || kind === 'everything') for (const tell of alertWatchers) tell()
  if (kind !== 'everything') return
  // A stream that begins has missed whatever came before it. What was asked in vain while the server was away is asked again.
  void client.refetchQueries({ type: 'active', predicate: (asked) => asked.state.status === 'error' })
  for (const { tell } of [...watchers]) tell(null)
}

const alertWatchers = new Set<() => void>()
/** Calls back whenever there may be another message. Returns how to end that. */
export function watchKeeping(tell: () => void): () => void {
  alertWatchers.add(tell)
  return () => alertWatchers.delete(tell)
}

/** begun: called with its first word, or once none is to be waited for. */
function open(begun: () => void = () => undefined): void {
  clearTimeout(again)
  if (stream || (document.visibilityState === 'hidden' && !release)) return begun()
  const mine = (stream = new EventSource('/api/events'))
  mine.onmessage = (message) => {
    server.away = false
    take(JSON.parse(message.data as string) as Event)
    begun()
  }
  mine.onerror = () => {
    begun()
    if (stream === mine) server.away = true
    if (mine.readyState !== EventSource.CLOSED || stream !== mine) return
    stream = null
    again = setTimeout(() => {
      take({ what: 'everything' })
      open()
    }, AGAIN)
  }
}

function shut(): void {
  clearTimeout(again)
  stream?.close()
  stream = null
}

// A page that nobody sees holds no stream: a browser has few to one server. Where messages are to come as notifications,
// one of the hidden pages goes on listening.
let wanted = () => false
let waits: AbortController | null = null
let release: (() => void) | null = null
export function listenWhileHidden(whether: () => boolean): void {
  wanted = whether
}
function seen(): void {
  waits?.abort()
  release?.()
  waits = release = null
  if (document.visibilityState !== 'hidden') return open()
  shut()
  if (!wanted()) return
  waits = new AbortController()
  const held = () =>
    new Promise<void>((done) => {
      release = done
      open()
    })
  navigator.locks?.request('upperwick-hidden-listener', { signal: waits.signal }, held).catch(() => undefined)
}

/**
 * Listens until the returned function is called: while somebody is signed in. Resolves once the stream stands, so that
 * what is fetched from then on is not fetched again as it begins; but nobody waits long for it.
 */
export async function listen(): Promise<() => void> {
  document.addEventListener('visibilitychange', seen)
  await new Promise<void>((begun) => {
    setTimeout(begun, PATIENCE)
    open(begun)
  })
  return () => {
    document.removeEventListener('visibilitychange', seen)
    waits?.abort()
    release?.()
    waits = release = null
    shut()
    heard.clear()
  }
}
