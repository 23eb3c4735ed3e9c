/** Which dials a sweep turns, one or two, and over which ranges. */
import type { DialRange, Schemas } from '$lib/api'

/** How many values a range has; 0 where it is none. */
const sizeOf = (range: DialRange): number =>
  range.step > 0 && range.high >= range.low ? Math.floor((range.high - range.low) / range.step + 1e-9) + 1 : 0

export class DialRanges {
  chosen = $state<DialRange[]>([])
  readonly #known: () => DialRange[]

  /** known: the dials that can be turned, each with the range it is proposed with. */
  constructor(known: () => DialRange[]) {
    this.#known = known
    $effect.pre(() => {
      const names = known().map((dial) => dial.name)
      if (this.chosen.some((range) => !names.includes(range.name)) || !this.chosen.length)
        this.chosen = known().slice(0, 1)
    })
  }

  get known(): DialRange[] {
    return this.#known()
  }

  /** How many settings a sweep over them has. */
  get total(): number {
    return this.chosen.reduce((product, range) => product * sizeOf(range), 1)
  }

  choose(i: number, name: string): void {
    this.chosen[i] = { ...this.known.find((dial) => dial.name === name)! }
  }

  add(): void {
    const next = this.known.find((dial) => !this.chosen.some((range) => range.name === dial.name))
    if (next) this.chosen = [...this.chosen, { ...next }]
  }

  one(): void {
    this.chosen = this.chosen.slice(0, 1)
  }
}

/** The dials that have a range, each over the whole of it in about `steps` values that its own steps reach. */
export function wholeRanges(dials: Schemas['DialOut'][], steps: number): DialRange[] {
  return dials
    .filter((dial) => dial.low !== null && dial.high !== null)
    .map((dial) => {
      const [low, high] = [dial.low!, dial.high!]
      const own = dial.step ?? (high - low) / 100
      const step = own * Math.max(1, Math.ceil((high - low) / own / (steps - 1)))
      return { name: dial.name, low, high, step: Number(step.toPrecision(6)) }
    })
}
