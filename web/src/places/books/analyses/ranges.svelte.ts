/** Which dials are turned, and over which ranges: one or two, `slots` among them. */
import type { DialRange, Schemas } from '$lib/api'

export class Ranges {
  turns = $state<DialRange[]>([])
  readonly #known: () => DialRange[]

  constructor(known: () => DialRange[]) {
    this.#known = known
    $effect.pre(() => {
      const names = known().map((dial) => dial.name)
      if (this.turns.some((turn) => !names.includes(turn.name)) || !this.turns.length)
        this.turns = known().slice(0, 1)
    })
  }

  get known(): DialRange[] {
    return this.#known()
  }

  get total(): number {
    return this.turns.reduce((product, t) => product * (Math.floor((t.high - t.low) / t.step + 1e-9) + 1), 1)
  }

  choose(i: number, name: string): void {
    this.turns[i] = { ...this.known.find((dial) => dial.name === name)! }
  }

  add(): void {
    const next = this.known.find((dial) => !this.turns.some((turn) => turn.name === dial.name))
    if (next) this.turns = [...this.turns, { ...next }]
  }

  one(): void {
    this.turns = this.turns.slice(0, 1)
  }
}

/** The dials of a book with whole ranges, and its slots. */
export function rangesOf(dials: Schemas['DialOut'][], slots: number): DialRange[] {
  const own = dials
    .filter((d) => d.low !== null && d.high !== null)
    .map((d) => ({ name: d.name, low: d.low!, high: d.high!, step: d.step ?? (d.high! - d.low!) / 8 }))
  const step = Math.max(1, Math.round(slots / 4))
  const low = Math.max(1, slots - 3 * step)
  return own.some((d) => d.name === 'slots')
    ? own
    : [...own, { name: 'slots', low, high: slots + 3 * step, step }]
}
