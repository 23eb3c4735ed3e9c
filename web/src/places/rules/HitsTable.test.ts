import { fireEvent, render, screen, waitFor } from '@testing-library/svelte'
import { SvelteSet } from 'svelte/reactivity'
import { afterEach, beforeEach, expect, it, vi } from 'vitest'
import type { Hit, RuleDetail, Scan } from '$lib/api'
import { forgetPendingSaves } from '$lib/debounced-save'
import { columns, ofRule, ordered, sortBy } from './hits.svelte'
import HitsTable from './HitsTable.svelte'

vi.mock('$lib/api', () => ({ api: { keepTable: () => Promise.resolve() }, sentence: String }))

const hit = (symbol: string, change: number | null): Hit =>
  ({
    symbol,
    name: `${symbol} Works`,
    sector: 'Metals',
    days: 1,
    longer: false,
    values: { change },
  }) as unknown as Hit
const scan = {
  hits: [hit('BETA', 0.02), hit('ALFA', null), hit('CETA', -0.01)],
  columns: [{ text: 'change', shown: 'percent', error: null }],
} as unknown as Scan

let rules = 0

afterEach(forgetPendingSaves) // a choice that was about to be kept does not outlive its test's document

beforeEach(() => {
  const table = {
    columns: [
      { text: 'symbol', label: '', width: null },
      { text: 'change', label: '', width: null },
    ],
    sort: [{ text: 'symbol', down: false }],
  }
  ofRule({ id: ++rules, table } as unknown as RuleDetail)
  // A window high enough for every row, in a browser that lays nothing out.
  Object.defineProperty(HTMLElement.prototype, 'offsetHeight', { configurable: true, value: 600 })
  Object.defineProperty(HTMLElement.prototype, 'offsetWidth', { configurable: true, value: 600 })
})

async function table(selected = new SvelteSet<string>()) {
  const [onchoose, onopen] = [vi.fn(), vi.fn()]
  render(HitsTable, {
    rows: ordered(scan),
    columns: columns(scan),
    chosen: 'ALFA',
    selected,
    fresh: new Set(['CETA']),
    onchoose,
    onopen,
  })
  await waitFor(() => expect(symbols()).toHaveLength(3))
  return { onchoose, onopen, selected }
}
const symbols = () =>
  [...document.querySelectorAll('tbody tr[aria-rowindex], tbody tr')]
    .map((row) => /ALFA|BETA|CETA/.exec(row.textContent ?? '')?.[0])
    .filter(Boolean)

it('lists the hits in the order that was chosen, the unknown last either way', async () => {
  await table()
  expect(symbols()).toEqual(['ALFA', 'BETA', 'CETA'])
  sortBy({ text: 'change', shown: 'percent' })
  expect(ordered(scan).map((h) => h.symbol)).toEqual(['BETA', 'CETA', 'ALFA'])
  sortBy({ text: 'change', shown: 'percent' })
  expect(ordered(scan).map((h) => h.symbol)).toEqual(['CETA', 'BETA', 'ALFA'])
})

it('sorts by the head that is clicked and says so', async () => {
  await table()
  const head = () => screen.getAllByRole('columnheader').find((h) => h.textContent?.includes('Change'))!
  await fireEvent.click(head().querySelector('button')!)
  expect(head().getAttribute('aria-sort')).toBe('descending')
})

it('chooses a row, and selects several with Ctrl and Shift', async () => {
  const { onchoose, selected } = await table()
  const row = (symbol: string) =>
    [...document.querySelectorAll('tbody tr')].find((r) => r.textContent?.includes(symbol))!
  await fireEvent.click(row('BETA'))
  expect(onchoose).toHaveBeenCalledWith('BETA')
  await fireEvent.click(row('ALFA'), { ctrlKey: true })
  await fireEvent.click(row('CETA'), { shiftKey: true })
  expect([...selected].sort()).toEqual(['ALFA', 'BETA', 'CETA'])
})

it('keeps an order that was chosen, whatever an answer from before says', () => {
  sortBy({ text: 'change', shown: 'percent' })
  expect(ordered(scan).map((one) => one.symbol)).toEqual(['BETA', 'CETA', 'ALFA'])
  ofRule({ id: rules, table: null } as unknown as RuleDetail) // asked before the choice was on the server
  expect(ordered(scan).map((one) => one.symbol)).toEqual(['BETA', 'CETA', 'ALFA'])
  ofRule({ id: rules + 1000, table: null } as unknown as RuleDetail) // another rule has its own
  ofRule({ id: rules, table: null } as unknown as RuleDetail)
  expect(ordered(scan).map((one) => one.symbol)).toEqual(['BETA', 'CETA', 'ALFA'])
})
