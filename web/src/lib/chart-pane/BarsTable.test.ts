import { render, screen } from '@testing-library/svelte'
import { expect, it } from 'vitest'
import type { Chart } from '$lib/api'
import BarsTable from './BarsTable.svelte'

it('shows two lines of one name, and one that is called as a price is', () => {
  const one = { text: 'rsi(2)', shown: 'number', error: null, values: [50] }
  const data = {
    days: ['2024-06-28'],
    hits: [],
    overlays: [{ label: 'Close', values: [10] }],
    panes: [[one], [one]],
    ...Object.fromEntries(['open', 'high', 'low', 'close', 'change', 'volume'].map((name) => [name, [10]])),
  }
  render(BarsTable, { data: data as unknown as Chart })
  expect(screen.getAllByRole('columnheader', { name: 'rsi(2)' })).toHaveLength(2)
  expect(screen.getAllByRole('columnheader', { name: 'Close' })).toHaveLength(2)
})
