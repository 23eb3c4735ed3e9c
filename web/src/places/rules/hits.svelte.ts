/** The hits as one ordered list: the table and the contact sheet show the same, in the same order. */
import type { Hit } from '$lib/api'
import { fixed, percent, price, short, whole } from '$lib/format'

export interface Column {
  key: string
  label: string
  title?: string
  of: (hit: Hit) => string | number | null
  show: (hit: Hit) => string
  text?: boolean
  signed?: boolean
}

const value = (key: string) => (hit: Hit) => hit.values[key] ?? null

export const COLUMNS: Column[] = [
  { key: 'symbol', label: 'Symbol', of: (h) => h.symbol, show: (h) => h.symbol, text: true },
  { key: 'name', label: 'Name', of: (h) => h.name, show: (h) => h.name, text: true },
  { key: 'sector', label: 'Sector', of: (h) => h.sector, show: (h) => h.sector, text: true },
  { key: 'close', label: 'Close', of: value('close'), show: (h) => price(h.values.close) },
  {
    key: 'change',
    label: 'Change',
    of: value('change'),
    show: (h) => percent(h.values.change),
    signed: true,
  },
  { key: 'volume', label: 'Volume', of: value('volume'), show: (h) => short(h.values.volume) },
  {
    key: 'rel_volume',
    label: 'Rel. vol.',
    title: 'volume against the mean of the 20 bars before',
    of: value('rel_volume'),
    show: (h) => fixed(h.values.rel_volume, 1),
  },
  {
    key: 'off_high',
    label: 'Off high',
    title: 'the close against the highest high of 52 weeks',
    of: value('off_high'),
    show: (h) => percent(h.values.off_high),
  },
  {
    key: 'adr',
    label: 'ADR',
    title: 'average daily range over 20 bars',
    of: value('adr'),
    show: (h) => percent(h.values.adr, 1, false),
  },
  {
    key: 'days',
    label: 'Bars',
    title: 'on how many bars in a row it has been a hit',
    of: (h) => h.days,
    show: (h) => whole(h.days),
  },
]

export const order = $state({ key: 'rel_volume', down: true })

export function sortBy(key: string, text: boolean | undefined): void {
  if (order.key === key) order.down = !order.down
  else {
    order.key = key
    order.down = !text
  }
}

/** The hits in the chosen order; unknown values last, ties by symbol. */
export function ordered(hits: Hit[], wanted = ''): Hit[] {
  const column = COLUMNS.find((c) => c.key === order.key)!
  const word = wanted.trim().toLowerCase()
  const sign = order.down ? -1 : 1
  return hits
    .filter((hit) => !word || `${hit.symbol} ${hit.name} ${hit.sector}`.toLowerCase().includes(word))
    .sort((a, b) => {
      const [x, y] = [column.of(a), column.of(b)]
      if (x === null || y === null) return x === y ? 0 : x === null ? 1 : -1
      const difference = typeof x === 'string' ? x.localeCompare(String(y)) : x - Number(y)
      return difference ? difference * sign : a.symbol.localeCompare(b.symbol)
    })
}
