/** The market as the interface knows it, and the as-of day the whole app stands on. */
import { api, type Entry, type Market } from './api'

const KEY = 'upperwick-as-of'

export const market = $state<{ now: Market | null; entries: Entry[]; asOf: string | null }>({
  now: null,
  entries: [],
  asOf: null,
})

export async function loadMarket(): Promise<void> {
  const [found, catalogue] = await Promise.all([api.market(), api.catalogue()])
  market.entries = catalogue.entries
  const last = found.sessions.at(-1) ?? null
  const kept = sessionStorage.getItem(KEY)
  market.asOf = kept && found.sessions.includes(kept) ? kept : last
  market.now = found
}

export function latest(): string | null {
  return market.now?.sessions.at(-1) ?? null
}

function stand(day: string): void {
  market.asOf = day
  if (day === latest()) sessionStorage.removeItem(KEY)
  else sessionStorage.setItem(KEY, day)
}

/** Moves by whole sessions; stops at both ends. */
export function step(by: number): void {
  const sessions = market.now?.sessions
  if (!sessions || !market.asOf) return
  const at = sessions.indexOf(market.asOf) + by
  stand(sessions[Math.min(Math.max(at, 0), sessions.length - 1)]!)
}

/** Stands on a date, or on the last session before it. */
export function standOn(date: string): void {
  const sessions = market.now?.sessions
  if (!sessions || !date) return
  const found = sessions.findLast((day) => day <= date) ?? sessions[0]
  if (found) stand(found)
}
