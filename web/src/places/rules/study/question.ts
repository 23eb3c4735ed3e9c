/** What a person chose to measure by, and the question the server is asked. */
import type { AnyRun, Schemas } from '$lib/api'

export interface Choice {
  entry: Schemas['StudyIn']['entry']
  repeats: Schemas['StudyIn']['repeats']
  costPercent: number
  slippagePercent: number
  survivors: boolean
}

export const HORIZONS = [1, 2, 3, 5, 10, 20, 60]
export const START: Choice = {
  entry: 'next-open',
  repeats: 'fresh',
  costPercent: 0.1,
  slippagePercent: 0,
  survivors: false,
}

export function question(
  text: string,
  rule: number,
  asOf: string | null,
  choice: Choice,
): Schemas['StudyIn'] {
  return {
    text,
    rule_id: rule,
    as_of: asOf,
    entry: choice.entry,
    repeats: choice.repeats,
    cost: Number((choice.costPercent / 100).toFixed(8)),
    slippage: Number((choice.slippagePercent / 100).toFixed(8)),
    survivors: choice.survivors,
    horizons: HORIZONS,
    dials: {},
    seed: 1,
  }
}

/** A kept run's settings in a few words. */
export function inWords(run: AnyRun): string {
  const s = run.settings as Record<string, unknown>
  const dials = Object.entries((s.dials ?? {}) as Record<string, number>).map(([k, v]) => `${k} ${v}`)
  return [
    s.entry === 'signal-close' ? 'entered at the signal’s close' : '',
    s.repeats === 'every' ? 'every hit' : s.repeats === 'apart' ? 'hits that do not overlap' : '',
    s.survivors ? 'today’s members' : '',
    typeof s.universe === 'string' ? s.universe : '',
    ...dials,
    `cost ${Number(((s.cost as number) * 100).toFixed(4))}%`,
    `to ${s.as_of as string}`,
    s.unsealed ? 'seal broken' : '',
  ]
    .filter(Boolean)
    .join(', ')
}
