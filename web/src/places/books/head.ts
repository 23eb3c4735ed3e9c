/** A book's text is its head (controls in the interface) and its body (what the editor shows). */
export const HEADERS = ['name', 'about', 'universe', 'start'] as const
export type BookHeader = (typeof HEADERS)[number]
export type BookHead = Partial<Record<BookHeader, string>>

const LINE = new RegExp(`^(${HEADERS.join('|')})[ \\t]*:(.*)$`, 'i')

/** The lines of the head that stand on top of a text; those further down stay in the body, where errors show. */
export function split(text: string): { headers: BookHead; body: string } {
  const lines = text.replaceAll('\r\n', '\n').split('\n')
  const headers: BookHead = {}
  let at = 0
  for (; at < lines.length; at++) {
    const match = LINE.exec(lines[at]!)
    const key = match?.[1]!.toLowerCase() as BookHeader | undefined
    if (!match || !key || key in headers) break
    headers[key] = match[2]!.trim()
  }
  while (at < lines.length - 1 && lines[at]!.trim() === '') at++
  return { headers, body: lines.slice(at).join('\n') }
}

/** The whole text of head and body. */
export function join(headers: BookHead, body: string): string {
  const lines = HEADERS.filter((key) => headers[key]).map(
    (key) => `${key}: ${headers[key]!.replace(/\s+/g, ' ')}`,
  )
  return lines.length ? `${lines.join('\n')}\n${body}` : body
}

/** How many lines `join` puts before the body. */
export function offsetOf(headers: BookHead): number {
  return HEADERS.filter((key) => headers[key]).length
}

/** Lines of the head at the top of a body, which belong into the controls; the one with the cursor is still being written. */
export function lifted(body: string, cursor: number): { headers: BookHead; body: string } | null {
  const lines = body.split('\n')
  const headers: BookHead = {}
  let at = 0
  for (; at < lines.length; at++) {
    const match = LINE.exec(lines[at]!)
    const key = match?.[1]!.toLowerCase() as BookHeader | undefined
    const value = match?.[2]!.trim()
    if (!match || !key || at + 1 === cursor || key in headers || !value) break
    headers[key] = value
  }
  return at ? { headers, body: lines.slice(at).join('\n') } : null
}

/** What begins a line of a book, for completion: the word, and what it does. */
export const WORDS = [
  ['enter "', 'trades a rule: enter "Quiet base" at next open'],
  ['exit when', 'leaves at the next open: exit when close < ema(21) held 2'],
  ['exit when any of:', 'leaves when one of the indented lines below holds'],
  ['exit at close when', 'leaves at the very close; optimistic'],
  ['stop:', 'a price fixed at the entry: stop: entry - 2 * atr(14)'],
  ['follow:', 'a stop that only moves in the trade’s favour: follow: best - 3 * atr(14)'],
  ['target:', 'where the position, or a part, is taken off: target: entry + 3 * risk, half'],
  ['slots:', 'most positions at a time: slots: 12'],
  ['size:', 'equal, risk 1%, money 5k or volatility 0.5%; at most 20%'],
  ['rank:', 'which of too many signals come first: rank: relative_strength(63)'],
  ['only while:', 'enters only while the market is so: only while: benchmark(close > sma(100))'],
  ['out unless:', 'holds nothing unless the market is so'],
  ['gross:', 'largest sum of positions over equity: gross: 100%'],
  ['cost:', 'a side: cost: 0.1% at least 2'],
  ['slip:', 'what a fill is worse than its price: slip: 0.05%'],
  ['cash earns:', 'a year: cash earns: 2%'],
  ['borrow costs:', 'a year, for shares sold short: borrow costs: 3%'],
  ['leaves:', 'hold or exit, when a name leaves the universe'],
  ['delisting:', 'what is got back of the last price: delisting: 100%'],
  ['fractions:', 'yes, for parts of shares'],
  ['next open', 'enter "…" at next open'],
  ['when', 'exit when …'],
] as const
