/** A study as files. */
import type { AnyRun, Schemas, Study } from '$lib/api'
import { csv, download } from '$lib/csv'

/** Every hit with its entry and returns. */
export function saveEvents(name: string, study: Study): void {
  const bars = study.horizons.map((h) => String(h.bars))
  download(
    `${name} hits.csv`,
    csv(
      ['symbol', 'day', 'entry_day', 'entry', ...bars.map((b) => `return_${b}`)],
      study.events.map((e) => [e.symbol, e.day, e.entry_day, e.entry, ...bars.map((b) => e.returns[b])]),
    ),
  )
}

/** The figures at each horizon. */
export function saveFigures(name: string, study: Study): void {
  const nested = ['histogram', 'spread', 'favourable', 'adverse']
  const keys = Object.keys(study.horizons[0] ?? {}).filter(
    (k) => !nested.includes(k),
  ) as (keyof Schemas['HorizonOut'])[]
  download(
    `${name} follow-through.csv`,
    csv(
      keys,
      study.horizons.map((h) => keys.map((k) => h[k] as number | string | null)),
    ),
  )
}

/** All that was answered. */
export function saveJson(name: string, run: AnyRun): void {
  download(`${name} follow-through.json`, JSON.stringify(run, null, 1), 'application/json')
}
