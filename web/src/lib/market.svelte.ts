/** The market as the interface knows it, and the as-of day the whole app stands on. */
import { QueryObserver } from '@tanstack/svelte-query'
import { moved } from './days'
import type { BenchList, Entry, Market } from './api'
import { longDay } from './format'
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

/** The market as it is now. Whoever stood on its latest day goes along; whoever looks back stays where they are. */
function stood(found: Market): void {
  const before = latest()
  const last = found.sessions.at(-1) ?? null
  market.now = found
  if (before === null && route.at) standOn(route.at)
  else if (before === null || market.asOf === before || !found.sessions.includes(market.asOf ?? ''))
    stand(last ?? '')
}

export function latest(): string | null {
  return market.now?.sessions.at(-1) ?? null
}

function stand(day: string): void {
  market.asOf = day || null
  nameMoment(day === latest() ? null : market.asOf)
}

export type Unit = 'day' | 'week' | 'month'

/** Moves by a session, or to the last session on or before the day a week or a month away; stops at both ends. */
export function step(by: 1 | -1, unit: Unit = 'day'): void {
  const sessions = market.now?.sessions
  if (!sessions || !market.asOf) return
  let at = sessions.indexOf(market.asOf) + by
  if (unit !== 'day') {
    const to = moved(market.asOf, by, unit)
    const found = sessions.findLastIndex((day) => day <= to)
    // A long holiday must not hold one back: a step always moves.
    at = by > 0 ? Math.max(at, found) : Math.min(at, found)
  }
  stand(sessions[Math.min(Math.max(at, 0), sessions.length - 1)]!)
}

/** Stands on a date, or on the last session before it; one that the data does not reach is said. */
export function standOn(date: string): void {
  const sessions = market.now?.sessions
  const [first, last] = [sessions?.[0], sessions?.at(-1)]
  if (!sessions || !first || !last) return
  if (!/^\d{4}-\d\d-\d\d$/.test(date)) {
    if (date)
      tell(`“${date.slice(0, 40)}” is no date such as ${last}; you stand on ${longDay(market.asOf ?? last)}.`)
    stand(market.asOf ?? last)
    return
  }
  if (date > last) tell(`The data ends on ${longDay(last)}: that is where you stand.`)
  if (date < first) tell(`The data begins on ${longDay(first)}: that is where you stand.`)
  stand(sessions.findLast((day) => day <= date) ?? first)
}
