/** Where prices stand on the chart's price axis: by their logarithm, or as they are. */
export interface Scale {
  log: boolean
  /** The axis value of a price; "-" where there is none, which the chart library leaves out. */
  to: (price: number | null | undefined) => number | '-'
  from: (axis: number) => number
}

export function scaleOf(log: boolean): Scale {
  return {
    log,
    to: (v) => (v === null || v === undefined || (log && v <= 0) ? '-' : log ? Math.log10(v) : v),
    from: (v) => (log ? 10 ** v : v),
  }
}

/** The price at a height as the scale is now, plain or logarithmic, whatever becomes of the chart meanwhile. */
export function frozen(price: (y: number) => number, top: number, bottom: number): (y: number) => number {
  const [a, b, middle] = [price(top), price(bottom), price((top + bottom) / 2)]
  const log = a > 0 && b > 0 && Math.abs(middle - Math.sqrt(a * b)) < Math.abs(middle - (a + b) / 2)
  return (y) => {
    const part = (y - top) / (bottom - top)
    return log ? a * (b / a) ** part : a + (b - a) * part
  }
}

/**
 * Heights moved apart as little as may be, so that what is written at each can be read, and none under the bottom.
 * Comes back in the order it was given. All in pixels, downwards.
 */
export function keptApart(heights: readonly number[], gap: number, bottom: number): number[] {
  const found = [...heights]
  const order = heights.map((_, i) => i).sort((a, b) => heights[a]! - heights[b]!)
  let least = -Infinity
  for (const i of order) {
    found[i] = Math.max(found[i]!, least)
    least = found[i]! + gap
  }
  let most = bottom
  for (const i of order.reverse()) {
    found[i] = Math.min(found[i]!, most)
    most = found[i]! - gap
  }
  return found
}

/** Round prices between two, about `count` of them, evenly spread to the eye on either scale. */
export function ticks(low: number, high: number, count: number, log: boolean): number[] {
  const ratio = log ? (high / low) ** (1 / count) - 1 : 0
  const found: number[] = []
  for (let at = low; at < high && found.length < 20;) {
    const raw = log ? at * ratio : (high - low) / count
    const unit = 10 ** Math.floor(Math.log10(raw))
    const width = [1, 2, 2.5, 5, 10].map((m) => m * unit).find((w) => w >= raw) ?? raw
    const next = Math.ceil(at / width + 1e-9) * width
    if (next >= high) break
    found.push(Number(next.toPrecision(10)))
    at = next + raw * 0.5
  }
  return found
}
