/** Numbers as people type them: comma or point, thousands, blanks, 1.5k, 2m. What can be read two ways is not guessed. */
export type Decimals = '' | 'point' | 'comma'
export type Reading =
  | { kind: 'number'; value: number }
  | { kind: 'empty' }
  /** It can be read two ways: with a decimal point, and with a decimal comma. */
  | { kind: 'unclear'; point: number; comma: number }
  | { kind: 'wrong'; why: string }

const SIZES: Record<string, number> = { k: 1e3, m: 1e6, b: 1e9, bn: 1e9 }
const BLANKS = /[\s\u00a0\u202f'’_]/g
const CURRENCY = /^[^\d.,+\-−]{0,4}|[^\d.,%a-z]{0,4}$/gi
const WHOLE = /^\d+$/
const POINT_THOUSANDS = /^[1-9]\d{0,2}(\.\d{3})+$/
const COMMA_THOUSANDS = /^[1-9]\d{0,2}(,\d{3})+$/

/** The number that a text means. decimals: the account's choice, '' where it has made none. */
export function readNumber(text: string, decimals: Decimals = ''): Reading {
  let bare = text.trim().replace(BLANKS, '').replace('−', '-').replace(CURRENCY, '').replace(/%$/, '')
  if (!bare) return text.trim() ? wrong(text) : { kind: 'empty' }
  const size = /([a-z]+)$/i.exec(bare)
  let times = 1
  if (size) {
    times = SIZES[size[1]!.toLowerCase()] ?? NaN
    if (Number.isNaN(times)) return wrong(text)
    bare = bare.slice(0, -size[1]!.length)
  }
  const sign = bare.startsWith('-') ? -1 : 1
  bare = bare.replace(/^[+-]/, '')
  const number = (digits: string): Reading =>
    /^(\d+\.?\d*|\.\d+)$/.test(digits)
      ? { kind: 'number', value: sign * times * Number(digits) }
      : wrong(text)
  const [points, commas] = [bare.split('.').length - 1, bare.split(',').length - 1]
  if (WHOLE.test(bare) || (!commas && !points)) return number(bare)
  if (points && commas) {
    // The last of the two is the decimal sign, and stands once; the other parts thousands.
    const comma = bare.lastIndexOf(',') > bare.lastIndexOf('.')
    const [whole, rest] = split(bare, comma ? ',' : '.')
    const fits = (comma ? POINT_THOUSANDS : COMMA_THOUSANDS).test(whole) && WHOLE.test(rest || '0')
    return fits ? number(`${whole.replace(/[.,]/g, '')}.${rest}`) : wrong(text)
  }
  const mark = points ? '.' : ','
  const times_ = points || commas
  const thousands = (points ? POINT_THOUSANDS : COMMA_THOUSANDS).test(bare)
  if (times_ > 1) return thousands ? number(bare.replaceAll(mark, '')) : wrong(text)
  const asDecimal = bare.replace(',', '.')
  const chosen = decimals || (mark === '.' ? 'point' : '')
  if (chosen === (mark === '.' ? 'point' : 'comma') || !thousands) return number(asDecimal)
  if (chosen) return number(bare.replace(mark, ''))
  const [whole, decimal] = [number(bare.replace(mark, '')), number(asDecimal)]
  return whole.kind === 'number' && decimal.kind === 'number'
    ? { kind: 'unclear', point: whole.value, comma: decimal.value }
    : wrong(text)
}

function split(text: string, mark: string): [string, string] {
  const at = text.lastIndexOf(mark)
  return [text.slice(0, at), text.slice(at + 1)]
}

function wrong(text: string): Reading {
  return {
    kind: 'wrong',
    why: `“${text.trim().slice(0, 40)}” is not a number, such as 13.20, 13,20, 1.5k or 2m.`,
  }
}

/** A number as it stands in a field: without thousands, with the account's decimal sign. */
export function writeNumber(
  value: number | null | undefined,
  decimals: Decimals = '',
  digits?: number,
): string {
  if (value === null || value === undefined || !Number.isFinite(value)) return ''
  const text = digits === undefined ? String(value) : String(Number(value.toFixed(digits)))
  return decimals === 'comma' ? text.replace('.', ',') : text
}
