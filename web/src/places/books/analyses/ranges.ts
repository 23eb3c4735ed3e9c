/** Over which ranges a book's sweep turns its dials. */
import type { DialRange, Schemas } from '$lib/api'
import { wholeRanges } from '$lib/ui/dial-ranges.svelte'

/** The dials of a book with whole ranges, and its slots. */
export function rangesOf(dials: Schemas['DialOut'][], slots: number): DialRange[] {
  const own = wholeRanges(dials, 9)
  const step = Math.max(1, Math.round(slots / 4))
  const low = Math.max(1, slots - 3 * step)
  return own.some((d) => d.name === 'slots')
    ? own
    : [...own, { name: 'slots', low, high: slots + 3 * step, step }]
}
