/** The hits as one ordered list: the table and the contact sheet show the same, in the same order. */
import { MOST_COLUMNS } from '$lib/constants'
import { api, sentence, type Hit, type RuleDetail, type Scan, type Shown, type TableChoice } from '$lib/api'
import { read } from '$lib/format'
import { saveLater } from '$lib/debounced-save'
import { tell } from '$lib/notice.svelte'
import { choose, preferences } from '$lib/preferences.svelte'
import { ask, client } from '$lib/queries'

export interface Column {
  text: string
  label: string
  title: string
  shown: Shown
  error: string | null
  width: number | null
  of: (hit: Hit) => string | number | boolean | null
  show: (hit: Hit) => string
}

/** Columns that are no expressions. */
const OWN: Record<string, { label: string; shown: Shown; of: Column['of']; title: string }> = {
  symbol: { label: 'Symbol', shown: 'text', of: (h) => h.symbol, title: 'symbol' },
  name: { label: 'Name', shown: 'text', of: (h) => h.name, title: 'name' },
  sector: { label: 'Sector', shown: 'text', of: (h) => h.sector, title: 'sector' },
  days: {
    label: 'Bars',
    shown: 'number',
    of: (h) => h.days,
    title: 'on how many bars in a row it has been a hit',
  },
}
const LABELS: Record<string, string> = {
  close: 'Close',
  change: 'Change',
  volume: 'Volume',
  'rel_volume(20)': 'Rel. vol.',
  'off_high(52w)': 'Off high',
  'adr(20)': 'ADR',
}
export const USUAL: TableChoice = {
  columns: ['symbol', 'name', 'sector', ...Object.keys(LABELS), 'days'].map((text) => ({
    text,
    label: '',
    width: null,
  })),
  sort: [{ text: 'rel_volume(20)', down: true }],
}
const WIDTHS: Record<Shown, number> = { text: 92, percent: 64, price: 66, amount: 62, number: 68, truth: 56 }

/** Columns and order belong to the rule that is open; a rule without any of its own has the account's. */
const own = $state<{ rule: number | null; table: TableChoice | null }>({ rule: null, table: null })
/** What was chosen last of rules whose choice is not on the server yet: no answer from before takes its place. */
let pending: { rule: number; table: TableChoice | null }[] = []

/** The rule whose hits are looked at, as the server has it. */
export function ofRule(rule: RuleDetail): void {
  const chosen = pending.find((one) => one.rule === rule.id)
  own.rule = rule.id
  own.table = chosen ? chosen.table : (rule.table ?? null)
}

export const hasOwn = () => own.table !== null

export function table(): TableChoice {
  return own.table ?? preferences.now.table ?? USUAL
}

export function setTable(change: Partial<TableChoice>): void {
  keepOwn({ ...table(), ...change })
}

/** The rule's own columns and order; null for the account's. */
export function keepOwn(next: TableChoice | null): void {
  const rule = own.rule
  if (rule === null) return
  own.table = next
  const mine = { rule, table: $state.snapshot(next) as TableChoice | null }
  pending = [mine, ...pending.filter((one) => one.rule !== rule)]
  saveLater(`table ${rule}`, async () => {
    try {
      const found = await api.keepTable(rule, mine.table)
      // What was asked before this was kept would answer with what was there before.
      await client.cancelQueries({ queryKey: ask.rule(rule).queryKey })
      client.setQueryData(ask.rule(rule).queryKey, found)
      pending = pending.filter((one) => one !== mine)
    } catch (error) {
      tell(sentence(error))
    }
  })
}

/** Columns and order of this rule as the account's, for all rules without any of their own. */
export function makeUsual(): void {
  choose({ table: $state.snapshot(table()) })
  keepOwn(null)
}

/** What the server has to work out: the columns that are expressions, and those only sorted by. */
export function expressions(): string[] {
  const { columns, sort } = table()
  const texts = [...columns.map((c) => c.text), ...(sort ?? []).map((s) => s.text)]
  return texts.filter((text, at) => !(text in OWN) && texts.indexOf(text) === at).slice(0, MOST_COLUMNS)
}

/** Whether a column is one of those that are no expressions. */
export const isOwn = (text: string) => text in OWN

export function labelOf(text: string, own = ''): string {
  return own || OWN[text]?.label || LABELS[text] || text
}

export function columnOf(text: string, scan: Scan | null, label = '', width: number | null = null): Column {
  const own = OWN[text]
  const found = scan?.columns.find((c) => c.text === text)
  const shown = own?.shown ?? found?.shown ?? 'number'
  const of = own?.of ?? ((hit: Hit) => hit.values[text] ?? null)
  return {
    text,
    label: labelOf(text, label),
    title: found?.error ?? own?.title ?? text,
    shown,
    error: found?.error ?? null,
    width: width ?? (text === 'name' ? null : text === 'symbol' ? 80 : text === 'days' ? 64 : WIDTHS[shown]),
    of,
    show: (hit) => read(of(hit), shown, text) + (text === 'days' && hit.longer ? '+' : ''),
  }
}

export function columns(scan: Scan | null): Column[] {
  return table().columns.map((c) => columnOf(c.text, scan, c.label, c.width))
}

/** The columns that the table shows: an account's column that names what only another rule has says nothing here. */
export function shownColumns(scan: Scan | null): Column[] {
  return columns(scan).filter((column) => column.error === null || hasOwn())
}

/** Sorts by a column alone, or, with `also`, by it after those chosen before. The same column again turns its direction. */
export function sortBy(column: Pick<Column, 'text' | 'shown'>, also = false): void {
  const sort = table().sort ?? []
  const at = sort.findIndex((s) => s.text === column.text)
  if (also && at >= 0)
    setTable({ sort: sort.map((s, i) => (i === at ? { text: s.text, down: !s.down } : s)) })
  else if (also) setTable({ sort: [...sort, { text: column.text, down: column.shown !== 'text' }].slice(-6) })
  else {
    const down = at === 0 ? !sort[0]!.down : column.shown !== 'text'
    setTable({ sort: [{ text: column.text, down }] })
  }
}

/** Moves a column by so many places. */
export function moveColumn(from: number, to: number): void {
  const list = [...table().columns]
  if (to < 0 || to >= list.length || from === to) return
  const [taken] = list.splice(from, 1)
  list.splice(to, 0, taken!)
  setTable({ columns: list })
}

export function setWidth(at: number, width: number): void {
  const list = table().columns.map((c, i) =>
    i === at ? { ...c, width: Math.round(Math.min(Math.max(width, 34), 600)) } : c,
  )
  setTable({ columns: list })
}

function compare(x: string | number | boolean | null, y: string | number | boolean | null): number {
  if (typeof x === 'string' || typeof y === 'string') return String(x).localeCompare(String(y))
  return Number(x) - Number(y)
}

/** The hits in the chosen order; unknown values last whichever way it runs, ties by symbol. */
export function ordered(scan: Scan | null, wanted = ''): Hit[] {
  const keys = (table().sort ?? []).map((s) => ({ of: columnOf(s.text, scan).of, sign: s.down ? -1 : 1 }))
  const word = wanted.trim().toLowerCase()
  const hits = scan?.hits ?? []
  const kept = word
    ? hits.filter((hit) => `${hit.symbol} ${hit.name} ${hit.sector}`.toLowerCase().includes(word))
    : [...hits]
  return kept.sort((a, b) => {
    for (const { of, sign } of keys) {
      const [x, y] = [of(a), of(b)]
      if (x === null || y === null) {
        if (x !== y) return x === null ? 1 : -1
        continue
      }
      const difference = compare(x, y)
      if (difference) return difference * sign
    }
    return a.symbol.localeCompare(b.symbol)
  })
}
