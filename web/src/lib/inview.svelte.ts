/** The instrument in view, wherever that is, and the rule it is looked at through: `s` puts it on the bench. */
import { type Schemas } from './api'
import { attempt, undoable } from './mutation'
import { bench } from './desk'
import { market } from './market.svelte'
import { tell } from './notice.svelte'

interface InView {
  symbol: string
  rule: Schemas['BenchRule'] | null
}
let now = $state.raw<InView | null>(null)

/** Says what is in view until the returned function is called. */
export function show(symbol: string, rule: Schemas['BenchRule'] | null = null): () => void {
  const mine = (now = { symbol, rule })
  return () => {
    if (now === mine) now = null
  }
}

/** Puts an instrument on the bench; the one in view where none is named. */
export async function shortlist(asked: InView | null = now): Promise<void> {
  if (!asked) return tell('No instrument is in view: choose one first.')
  await attempt(['bench'], async () => {
    const made = await bench.put(asked.symbol, market.asOf, asked.rule)
    if (!made.new) return tell(`${made.symbol} is on the bench already, ${made.stage}.`)
    undoable(`${made.symbol} is shortlisted.`, ['bench'], () => bench.drop(made.id))
  })
}
