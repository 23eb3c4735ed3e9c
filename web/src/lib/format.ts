/** Numbers as a trader reads them. Formatting only: every figure comes from the server. */
import type { Shown } from './api'
import { preferences } from './preferences.svelte'

const MINUS = '−'
const DASH = '–'

function signed(text: string, value: number, plus: boolean): string {
  const bare = text.replace('-', '')
  const nothing = Number(bare.replace(/[^\d.]/g, '')) === 0
  if (value < 0 && !nothing) return MINUS + local(bare)
  return plus && value > 0 && !nothing ? `+${local(bare)}` : local(bare)
}

/** A number with a decimal point, with the account's decimal sign. */
function local(text: string): string {
  if (preferences.now.account?.decimals !== 'comma') return text
  return text.replace(/[.,]/g, (sign) => (sign === '.' ? ',' : '.'))
}

/** A fraction as a percentage: 0.0123 is +1.2%. */
export function percent(value: number | null | undefined, digits = 1, plus = true): string {
  if (value === null || value === undefined) return DASH
  return signed(`${(value * 100).toFixed(digits)}%`, value, plus)
}

export function fixed(value: number | null | undefined, digits = 2): string {
  if (value === null || value === undefined) return DASH
  return signed(value.toFixed(digits), value, false)
}

export function price(value: number | null | undefined): string {
  if (value === null || value === undefined) return DASH
  return value >= 1000 ? whole(value) : local(value.toFixed(2))
}

/** 431, 1,953. */
export function whole(value: number | null | undefined): string {
  if (value === null || value === undefined) return DASH
  return signed(Math.round(value).toLocaleString('en-GB'), value, false)
}

/** 1.84m, 920k. */
export function short(value: number | null | undefined): string {
  if (value === null || value === undefined) return DASH
  for (const [size, unit] of [
    [1e9, 'b'],
    [1e6, 'm'],
    [1e3, 'k'],
  ] as const) {
    if (Math.abs(value) >= size) {
      const scaled = value / size
      const text = Math.abs(scaled) >= 100 ? scaled.toFixed(0) : scaled.toPrecision(3).replace(/\.?0+$/, '')
      return local(text) + unit
    }
  }
  return whole(value)
}

/** Any number, with as many digits as say something: 0.0123, 1.84, 431, 1.84m. */
export function plain(value: number | null | undefined): string {
  if (value === null || value === undefined) return DASH
  const size = Math.abs(value)
  if (size >= 100_000) return short(value)
  if (Number.isInteger(value) || size >= 1000) return signed(whole(value), value, false)
  return size >= 0.1 || size === 0 ? fixed(value, 2) : signed(value.toPrecision(2), value, false)
}

// Shares that are never below nothing need no plus sign.
const UNSIGNED = /^(adr|natr|dividend_yield|closing_place|bb_width|bb_place|above_low|range)/

/** A value as the server says it is read. `text` is the expression it comes from. */
export function read(value: number | string | boolean | null | undefined, shown: Shown, text = ''): string {
  if (value === null || value === undefined) return DASH
  if (typeof value === 'boolean') return value ? 'yes' : 'no'
  if (typeof value === 'string') return value
  if (shown === 'percent') return percent(value, 1, !UNSIGNED.test(text))
  if (shown === 'truth') return value ? 'yes' : 'no'
  return shown === 'price' ? price(value) : shown === 'amount' ? short(value) : plain(value)
}

const DAYS = ['Sun', 'Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat']
const MONTHS = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec']

/** 2024-06-28 as Fri 28 Jun 2024. */
export function longDay(iso: string): string {
  return `${DAYS[new Date(`${iso}T00:00:00Z`).getUTCDay()]} ${day(iso)}`
}

/** 2024-06-28 as 28 Jun 2024, or in the account's form. */
export function day(iso: string | null | undefined): string {
  if (!iso) return DASH
  const [year, month, date] = iso.split('-')
  switch (preferences.now.account?.dates) {
    case '2024-06-28':
      return iso
    case '28.06.2024':
      return `${date}.${month}.${year}`
    case '28/06/2024':
      return `${date}/${month}/${year}`
    case '06/28/2024':
      return `${month}/${date}/${year}`
    default:
      return `${Number(date)} ${MONTHS[Number(month) - 1]} ${year}`
  }
}

/** A sum of the account's money: its currency, grouped, without decimals from a hundred on. */
export function money(value: number | null | undefined, plus = false): string {
  if (value === null || value === undefined) return DASH
  const text = Math.abs(value) >= 100 ? Math.round(value).toLocaleString('en-GB') : value.toFixed(2)
  const currency = preferences.now.account?.currency ?? ''
  return signed(text, value, plus) + (currency ? ` ${currency}` : '')
}

/** 2024-06-28 as Fri 28 Jun. */
export function shortDay(iso: string): string {
  return longDay(iso).replace(/[ ./-]?\d{4}[./-]?/, '')
}

/** 2024-06-28T10:35 as Fri 28 Jun 2024, 10:35; a day as a day. */
export function longMoment(iso: string): string {
  return longDay(iso.slice(0, 10)) + (iso.length > 10 ? `, ${iso.slice(11, 16)}` : '')
}

/** 2024-06-28T10:35 as 28 Jun 2024, 10:35; a day as a day. */
export function moment(iso: string | null | undefined): string {
  if (!iso || iso.length < 11) return day(iso)
  return `${day(iso.slice(0, 10))}, ${iso.slice(11, 16)}`
}

export function monthName(iso: string): string {
  return MONTHS[Number(iso.slice(5, 7)) - 1] ?? ''
}

/** The colour of a gain or a loss; what is shown as 0.00% has none. */
export function tone(value: number | null | undefined): string {
  return !value || Math.abs(value) < 5e-5 ? '' : value > 0 ? 'text-gain' : 'text-loss'
}

/** 1 hit, 431 hits. */
export function hits(count: number | null | undefined): string {
  return `${whole(count)} ${count === 1 ? 'hit' : 'hits'}`
}

/** A moment the server keeps, on the clock of whoever reads it: 26 Nov 2026, 10:41. */
export function when(moment: string): string {
  const at = new Date(moment)
  const date = `${at.getFullYear()}-${String(at.getMonth() + 1).padStart(2, '0')}-${String(at.getDate()).padStart(2, '0')}`
  return `${day(date)}, ${String(at.getHours()).padStart(2, '0')}:${String(at.getMinutes()).padStart(2, '0')}`
}

/** Bytes as people say them: 41 MB. */
export function size(bytes: number): string {
  for (const [of, unit] of [
    [1e9, 'GB'],
    [1e6, 'MB'],
    [1e3, 'kB'],
  ] as const)
    if (bytes >= of)
      return `${(bytes / of)
        .toPrecision(3)
        .replace(/(\.\d*?)0+$/, '$1')
        .replace(/\.$/, '')} ${unit}`
  return `${bytes} bytes`
}
