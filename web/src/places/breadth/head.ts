/** The text of a breadth: the lines of its head, which are controls on the page, and the condition below. */
export const KEYS = ['name', 'about', 'universe', 'bars', 'decide', 'shows', 'less', 'weight'] as const
export type Key = (typeof KEYS)[number]
export interface BreadthText {
  head: Partial<Record<Key, string>>
  body: string
}
const LINE = new RegExp(`^(${KEYS.join('|')})[ \\t]*:(?![ \\t]*=)(.*)$`, 'i')

/** Splits a text; a head line that no control holds stays with the condition, where its error shows. */
export function split(text: string): BreadthText {
  const lines = text.replaceAll('\r\n', '\n').split('\n')
  const head: BreadthText['head'] = {}
  let at = 0
  for (; at < lines.length; at++) {
    const match = LINE.exec(lines[at]!)
    const key = match?.[1]!.toLowerCase() as Key | undefined
    if (!match || !key || key in head) break
    head[key] = match[2]!.trim()
  }
  while (at < lines.length - 1 && lines[at]!.trim() === '') at++
  return { head, body: lines.slice(at).join('\n') }
}

export function join({ head, body }: BreadthText): string {
  const lines = KEYS.filter((key) => head[key]).map((key) => `${key}: ${head[key]!.replace(/\s+/g, ' ')}`)
  return lines.length ? `${lines.join('\n')}\n\n${body}` : body
}

/** How many lines stand before the condition. */
export function offsetOf(head: BreadthText['head']): number {
  const count = KEYS.filter((key) => head[key]).length
  return count ? count + 1 : 0
}

const lines = (body: string) => body.split('\n').filter((line) => line.trim() && !/^\s*#/.test(line))

/** The condition in one line, as far as that goes. */
export function inShort(body: string): string {
  const found = lines(body).map((line) => line.trim())
  return found.length > 1 ? `${found[0]} and ${found.length - 1} more` : (found[0] ?? '')
}

/** The level's passing as a line of a rule; null for a condition that takes more than one line and is not kept. */
export function asLine(
  text: BreadthText,
  name: string | null,
  look: { level?: number | null; way?: string; smooth?: number },
  share: boolean,
): string | null {
  const body = lines(text.body)
  const plain = !text.head.less && !text.head.weight && (text.head.shows ?? 'share') === 'share'
  if (!name && (body.length !== 1 || !plain || (text.head.bars ?? 'day') !== 'day')) return null
  const of = name
    ? `breadth("${name}")`
    : `breadth(${body[0]!.trim()}${text.head.universe ? `, for="${text.head.universe}"` : ''})`
  const value = (look.smooth ?? 1) > 1 ? `sma(${of}, ${look.smooth})` : of
  const level = share ? `${Number(((look.level ?? 0) * 100).toPrecision(6))}%` : `${look.level ?? 0}`
  return `${value} crosses ${look.way === 'above' ? 'below' : 'above'} ${level}`
}
