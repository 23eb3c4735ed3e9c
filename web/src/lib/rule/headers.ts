/** A rule's text is its header lines (controls in the interface) and its body (what the editor shows). */
export const HEADERS = ['name', 'about', 'side', 'bars', 'decide', 'universe'] as const
export type Header = (typeof HEADERS)[number]
export type HeaderValues = Partial<Record<Header, string>>

export interface RuleParts {
  headers: HeaderValues
  body: string
  /** Lines of the whole text before the body's first: server line numbers less this are the editor's. */
  offset: number
}

const CHOICES: Partial<Record<Header, readonly string[]>> = {
  side: ['long', 'short'],
  bars: ['5min', '15min', '30min', '65min', 'day', 'week', 'month', 'quarter', 'year'],
  decide: ['close', 'open'],
}

const LINE = new RegExp(`^(${HEADERS.join('|')})[ \\t]*:(?![ \\t]*=)(.*)$`, 'i')

/** Splits a text. Header lines that the controls cannot hold (unknown or repeated) stay in the body, where errors show. */
export function split(text: string): RuleParts {
  const lines = text.replaceAll('\r\n', '\n').split('\n')
  const headers: HeaderValues = {}
  let at = 0
  for (; at < lines.length; at++) {
    const line = lines[at]!
    const match = LINE.exec(line)
    if (!match) break
    const key = match[1]!.toLowerCase() as Header
    if (key in headers) break
    headers[key] = match[2]!.trim()
  }
  while (at < lines.length && lines[at]!.trim() === '' && at < lines.length - 1) at++
  return { headers, body: lines.slice(at).join('\n'), offset: at }
}

/** Header lines at the top of a body, which belong into the controls, and the body without them; null where there are none. The line the cursor
 * stands on, counted from 1, is still being written. */
export function lifted(body: string, cursor: number): { headers: HeaderValues; body: string } | null {
  const lines = body.split('\n')
  const headers: HeaderValues = {}
  let at = 0
  for (let next = 0; next < lines.length; next++) {
    if (lines[next]!.trim() === '') continue
    const match = LINE.exec(lines[next]!)
    const key = match?.[1]!.toLowerCase() as Header | undefined
    const value = match?.[2]!.trim()
    // What no control can show stays where its error shows.
    if (!match || !key || next + 1 === cursor || key in headers || !value) break
    if (CHOICES[key] && !CHOICES[key].includes(value)) break
    headers[key] = value
    at = next + 1
  }
  if (!at) return null
  while (at < lines.length - 1 && lines[at]!.trim() === '' && at + 1 !== cursor) at++
  return { headers, body: lines.slice(at).join('\n') }
}

/** The whole text of headers and body, in the canonical order, with one blank line between. */
export function join(headers: HeaderValues, body: string): string {
  const lines = HEADERS.filter((key) => headers[key]).map(
    (key) => `${key}: ${headers[key]!.replace(/\s+/g, ' ')}`,
  )
  return lines.length ? `${lines.join('\n')}\n\n${body}` : body
}

/** How many lines `join` puts before the body. */
export function offsetOf(headers: HeaderValues): number {
  const count = HEADERS.filter((key) => headers[key]).length
  return count ? count + 1 : 0
}

/** A number as a rule writes it: 20m, 1.5k, 12. */
export function written(value: number): string {
  for (const [unit, letter] of [
    [1e9, 'b'],
    [1e6, 'm'],
    [1e3, 'k'],
  ] as const)
    if (Math.abs(value) >= 10 * unit || (Math.abs(value) >= unit && value % (unit / 10) === 0))
      return `${Number((value / unit).toPrecision(10))}${letter}`
  return `${Number(value.toPrecision(10))}`
}

/** The body with a dial's value replaced; percentages stay percentages. */
export function turnDial(body: string, name: string, value: number, percent: boolean): string {
  const said = percent ? `${Number((value * 100).toPrecision(10))}%` : written(value)
  const line = new RegExp(`^(\\s*dial\\s+${name}\\s*=\\s*)-?[\\d._]+(?:%|(?:bn|[kmb])\\b)?`, 'm')
  return body.replace(line, (_, before: string) => before + said)
}

/** The body with `skip` put before a line, or taken from it. Lines count from 1. */
export function toggleSkip(body: string, number: number): string {
  const lines = body.split('\n')
  const line = lines[number - 1]
  if (line === undefined) return body
  lines[number - 1] = /^\s*skip\s/.test(line)
    ? line.replace(/^(\s*)skip\s+/, '$1')
    : line.replace(/^(\s*)/, '$1skip ')
  return lines.join('\n')
}

/** The text under another name. */
export function withName(text: string, name: string): string {
  const parts = split(text)
  return join({ ...parts.headers, name }, parts.body)
}
