/** The market as the interface knows it, and the as-of day the whole app stands on. */
import { QueryObserver } from '@tanstack/svelte-query'
import { moved } from './days'
import type { BenchList, Entry, Market } from './api'
import { longDay, longMoment } from './format'
import { tell } from './notice.svelte'
import { ask, client } from './queries'
import { nameMoment, onReturn, route } from './router.svelte'

export const market = $state<{
  now: Market | null
  entries: Entry[]
  lists: BenchList[]
  asOf: string | null
}>({
  now: null,
  entries: [],
  lists: [],
  asOf: null,
})

/** Fetches what every place needs, and keeps it as the server has it from then on. Returns how to end that. */
export async function loadMarket(): Promise<() => void> {
  await Promise.all([
    client.fetchQuery(ask.market()),
    client.fetchQuery(ask.catalogue()),
    client.fetchQuery(ask.lists()),
  ])
  const ends = [
    new QueryObserver(client, ask.market()).subscribe(({ data }) => data && stood(data)),
    new QueryObserver(client, ask.catalogue()).subscribe(({ data }) => {
      if (data) market.entries = data.entries
    }),
    new QueryObserver(client, ask.lists()).subscribe(({ data }) => {
      if (data) market.lists = data
    }),
  ]
  market.entries = client.getQueryData(ask.catalogue().queryKey)?.entries ?? []
  market.lists = client.getQueryData(ask.lists().queryKey) ?? []
  stood(client.getQueryData(ask.market().queryKey)!)
  ends.push(onReturn(() => (route.at ? standOn(route.at) : stand(latest() ?? ''))))
  return () => ends.forEach((end) => end())
}

/** The market as it is now. Whoever stood on its latest moment goes along; whoever looks back stays where they are. */
function stood(found: Market): void {
  const before = latest()
  market.now = found
  if (before === null && route.at) standOn(route.at)
  else if (
    before === null ||
    market.asOf === before ||
    !found.sessions.includes(market.asOf?.slice(0, 10) ?? '')
  )
    stand(found.latest ?? '')
}

/** The newest moment: a day for its close, or a minute of the session that runs. */
export function latest(): string | null {
  return market.now?.latest ?? null
}

/** The session stood on. */
export const dayOf = (at: string | null): string | null => at?.slice(0, 10) ?? null

/** What is stood on, as a sentence says it. */
export const here = (): string => ((market.asOf?.length ?? 0) > 10 ? 'at this minute' : 'on this evening')

function stand(moment: string): void {
  market.asOf = moment || null
  nameMoment(moment === latest() ? null : market.asOf)
}

/** Stands on a session's close, or on its latest minute while it runs. */
function standOnSession(day: string): void {
  stand(day === dayOf(latest()) ? latest()! : day)
}

export type Unit = 'minute' | 'day' | 'week' | 'month'

/** Moves by five minutes, a session, or to the last session on or before the day a week or a month away; stops at both ends. */
export function step(by: 1 | -1, unit: Unit = 'day'): void {
  const sessions = market.now?.sessions
  if (!sessions || !market.asOf) return
  if (unit === 'minute') return stepWithin(by)
  const here = market.asOf.slice(0, 10)
  // From inside a session one step forward is its close.
  const inside = market.asOf.length > 10
  let at = sessions.indexOf(here) + (inside && by > 0 ? 0 : by)
  if (unit !== 'day') {
    const to = moved(here, by, unit)
    const found = sessions.findLastIndex((day) => day <= to)
    // A long holiday must not hold one back: a step always moves.
    at = by > 0 ? Math.max(at, found) : Math.min(at, found)
  }
  standOnSession(sessions[Math.min(Math.max(at, 0), sessions.length - 1)]!)
}

const STEP = 5
const clock = (minute: number) =>
  `${String(Math.floor(minute / 60)).padStart(2, '0')}:${String(minute % 60).padStart(2, '0')}`

/** The minutes of a session that can be stood on, by their clock; none where the market has no bars within the day. */
export function minutes(day: string | null): string[] {
  const hours = market.now?.hours
  if (!hours || !day || day < hours.since) return []
  const last = latest()
  const found = []
  for (let minute = hours.opens + STEP; minute < hours.closes; minute += STEP) {
    const said = clock(minute)
    if (last && `${day}T${said}` > last && day >= last.slice(0, 10) && last.length > 10) break
    found.push(said)
  }
  return found
}

/** Five minutes on or back; over a close into the session beside. */
function stepWithin(by: 1 | -1): void {
  const sessions = market.now!.sessions
  const day = market.asOf!.slice(0, 10)
  const within = minutes(day)
  if (!within.length) return step(by, 'day')
  const now = market.asOf!.length > 10 ? within.indexOf(market.asOf!.slice(11, 16)) : within.length
  const at = now + by
  if (at >= 0 && at < within.length) stand(`${day}T${within[at]}`)
  else if (at === within.length) standOnSession(day)
  else {
    const beside = sessions[sessions.indexOf(day) + by]
    const first = beside && by > 0 ? minutes(beside)[0] : undefined
    if (beside) stand(first ? `${beside}T${first}` : beside)
  }
}

/** Stands on a date or a moment, or on the last session before it; one that the data does not reach is said. */
export function standOn(said: string): void {
  const sessions = market.now?.sessions
  const [first, last] = [sessions?.[0], latest()]
  if (!sessions || !first || !last) return
  const date = said.slice(0, 10)
  if (!/^\d{4}-\d\d-\d\d(T\d\d:\d\d)?$/.test(said)) {
    if (said)
      tell(
        `“${said.slice(0, 40)}” is no date such as ${sessions.at(-1)}; you stand on ${longMoment(market.asOf ?? last)}.`,
      )
    stand(market.asOf ?? last)
    return
  }
  if (date > last.slice(0, 10)) tell(`The data ends on ${longMoment(last)}: that is where you stand.`)
  if (date < first) tell(`The data begins on ${longDay(first)}: that is where you stand.`)
  const session = sessions.findLast((day) => day <= date) ?? first
  if (session === date && said.length > 10 && minutes(date).includes(said.slice(11, 16))) stand(said)
  else standOnSession(session)
}
