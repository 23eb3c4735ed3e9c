/** The market as the interface knows it, and the as-of day the whole app stands on. */
import { moved } from './days'
import { api, type BenchList, type Entry, type Market } from './api'

const KEY = 'upperwick-as-of'

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

/** The account's lists, which are universes too. */
export async function loadLists(): Promise<void> {
  market.lists = await api.lists()
}

export async function loadMarket(): Promise<void> {
  const [found, catalogue] = await Promise.all([api.market(), api.catalogue()])
  market.entries = catalogue.entries
  const last = found.sessions.at(-1) ?? null
  const kept = sessionStorage.getItem(KEY)
  market.asOf = kept && found.sessions.includes(kept) ? kept : last
  market.now = found
  if (found.compiling.length) setTimeout(() => void followCompiling(), 3000)
}

/** On a first start some measures are compiled while the page is there already: asks until they are. */
async function followCompiling(): Promise<void> {
  const found = await api.market().catch(() => null)
  if (found && market.now) market.now.compiling = found.compiling
  if (!found || found.compiling.length) setTimeout(() => void followCompiling(), 3000)
}

export function latest(): string | null {
  return market.now?.sessions.at(-1) ?? null
}

function stand(day: string): void {
  market.asOf = day
  if (day === latest()) sessionStorage.removeItem(KEY)
  else sessionStorage.setItem(KEY, day)
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

/** Stands on a date, or on the last session before it. */
export function standOn(date: string): void {
  const sessions = market.now?.sessions
  if (!sessions || !date) return
  const found = sessions.findLast((day) => day <= date) ?? sessions[0]
  if (found) stand(found)
}
