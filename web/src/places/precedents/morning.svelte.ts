/** What is asked of a morning: which indices, what is ticked, from the open to which close. It survives a reload. */
import type { Schemas } from '$lib/api'
import { INDEX_COST } from '$lib/constants'

export interface Choice {
  index: string | null
  indices: string[]
  stage: 'evening' | 'night' | 'bell' | null
  lines: string[]
  closes: 0 | 1 | 5
  cost: number
  first: string | null
  both: 0 | 1 | 2 | 3 | null
}
const USUAL: Choice = {
  index: null,
  indices: [],
  stage: null,
  lines: [],
  closes: 0,
  cost: INDEX_COST,
  first: null,
  both: null,
}
const PLACE = 'precedents'

export class MorningChoice {
  now = $state<Choice>({ ...USUAL })

  constructor() {
    try {
      this.now = { ...USUAL, ...(JSON.parse(sessionStorage.getItem(PLACE) ?? '{}') as Partial<Choice>) }
    } catch {
      // what cannot be read is begun anew
    }
    $effect(() => sessionStorage.setItem(PLACE, JSON.stringify(this.now)))
  }

  set(change: Partial<Choice>): void {
    this.now = { ...this.now, ...change }
  }

  tick(line: string, on: boolean): void {
    const lines = this.now.lines.filter((one) => one !== line)
    this.set({ lines: on ? [...lines, line] : lines })
  }

  asked(as_of: string | null, text: string): Schemas['PrecedentsIn'] {
    return { as_of, text, ...$state.snapshot(this.now) }
  }
}

export const ENDS = [
  [0, 'the close of the same session'],
  [1, 'the next session’s close'],
  [5, 'the fifth close after it'],
] as const
export const STAGES = {
  evening: 'the evening before',
  night: 'before the open',
  bell: 'at the bell',
} as const
