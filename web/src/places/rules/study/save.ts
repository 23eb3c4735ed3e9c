/** A study as files. Columns are named as the screen names them, and each row says of which version, settings and seal it is. */
import type { AnyRun, Run, Schemas, Study } from '$lib/api'
import { csv, download, type Cell } from '$lib/csv'

const NAMES: Record<string, string> = {
  count: 'Hits',
  pending: 'Pending',
  days: 'Days',
  win_rate: 'Win rate',
  win_rate_low: 'Win rate from',
  win_rate_high: 'Win rate to',
  wilson_low: 'Win rate from (Wilson)',
  wilson_high: 'Win rate to (Wilson)',
  median_low: 'Median from',
  median_high: 'Median to',
  stdev: 'Standard deviation',
  excess_low: 'Excess from',
  excess_high: 'Excess to',
}

/** As a person reads it: profit_factor is Profit factor. */
function named(key: string): string {
  const words = key.replaceAll('_', ' ')
  return NAMES[key] ?? words[0]!.toUpperCase() + words.slice(1)
}

/** What a study was made of: names and values of the columns that stand at the end of every row. */
export function madeOf(run: AnyRun, study?: Study): [string, Cell][] {
  const { settings } = run
  const seal = study?.sealed_from ? (study.after ? 'broken' : 'sealed') : ''
  return [
    ['Version', run.version ?? 'not saved'],
    ['Up to', settings.as_of as Cell],
    ['Entry', settings.entry as Cell],
    ['Count', settings.repeats as Cell],
    ['Cost a side', settings.cost as Cell],
    ['Slippage a side', settings.slippage as Cell],
    ['Members', settings.survivors ? 'today’s only' : 'of that day'],
    ['Sealed from', study?.sealed_from ?? ''],
    ['Seal', seal],
    ['Seed', run.seed],
    ['Data version', run.data_version],
  ]
}

/** A table with what it was made of behind it. */
export function withMadeOf(head: string[], rows: Cell[][], made: [string, Cell][]): string {
  const behind = made.map(([, value]) => value)
  return csv(
    [...head, ...made.map(([name]) => name)],
    rows.map((row) => [...row, ...behind]),
  )
}

/** Every hit with its entry and returns. */
export function saveEvents(name: string, study: Study, run: Run): void {
  const bars = study.horizons.map((h) => String(h.bars))
  const head = ['Symbol', 'Hit on', 'Entered on', 'Entry price', ...bars.map((b) => `Return after ${b}`)]
  const rows = study.events.map((e) => [
    e.symbol,
    e.day,
    e.entry_day,
    e.entry,
    ...bars.map((b) => e.returns[b]),
  ])
  download(`${name} hits.csv`, withMadeOf(head, rows, madeOf(run, study)))
}

/** The figures at each horizon. */
export function saveFigures(name: string, study: Study, run: Run): void {
  const nested = ['histogram', 'spread', 'favourable', 'adverse']
  const keys = Object.keys(study.horizons[0] ?? {}).filter(
    (k) => !nested.includes(k),
  ) as (keyof Schemas['HorizonOut'])[]
  const rows = study.horizons.map((h) => keys.map((k) => h[k] as Cell))
  download(`${name} follow-through.csv`, withMadeOf(keys.map(named), rows, madeOf(run, study)))
}

/** All that was answered. */
export function saveJson(name: string, run: AnyRun): void {
  download(`${name} follow-through.json`, JSON.stringify(run, null, 1), 'application/json')
}
