import { fireEvent, render, screen } from '@testing-library/svelte'
import { beforeEach, expect, it, vi } from 'vitest'
import type { View } from '$lib/charts/PriceChart.svelte'
import type { Plan } from '$lib/desk'
import PlanLayer from './PlanLayer.svelte'

/** A plain scale: 100 at the top of 400 pixels, 60 at their foot; ten pixels a unit of price. */
const view = (shift = 0): View => ({
  x: (i) => i,
  y: (price) => (100 - price) * 10 + shift,
  index: (x) => x,
  price: (y) => 100 - (y - shift) / 10,
  plot: { left: 0, top: 0, right: 600, bottom: 400 },
  names: [],
  width: 640,
  height: 420,
})
const levels = { entry: 80, stop: 75, targets: [{ price: 90, part: 1 }] }
const plan = {
  plan: { side: 'long', ...levels },
  proposal: { entry: 80, entry_why: '', stop: 75, stop_why: '', target: 90, target_why: '', atr: 2 },
} as unknown as Plan
const acts = () => ({ onreveal: vi.fn(), onentry: vi.fn(), onstop: vi.fn(), ontarget: vi.fn() })

beforeEach(() => {
  SVGElement.prototype.setPointerCapture = vi.fn()
})

async function drag(by: number, after: () => Promise<void> = async () => {}) {
  const stop = screen.getByRole('slider', { name: 'The plan’s stop' })
  await fireEvent(stop, new MouseEvent('pointerdown', { clientY: 500, bubbles: true }))
  await after()
  await fireEvent(stop, new MouseEvent('pointermove', { clientY: 500 + by, bubbles: true }))
  await fireEvent(stop, new MouseEvent('pointerup', { bubbles: true }))
}

it('moves a level by what the pointer moved, wherever it was grabbed and whatever appears above the chart', async () => {
  const on = acts()
  const { rerender } = render(PlanLayer, { view: view(), plan, levels, ...on })
  await drag(12)
  expect(on.onstop).toHaveBeenLastCalledWith(73.8)
  // The scale changes while it is dragged: the one it was grabbed on holds.
  await drag(12, () => rerender({ view: view(130), plan, levels, ...on }))
  expect(on.onstop).toHaveBeenLastCalledWith(73.8)
})

it('moves by a tick with the arrow keys, and by ten with the page keys', async () => {
  const on = acts()
  render(PlanLayer, { view: view(), plan, levels, ...on })
  const stop = screen.getByRole('slider', { name: 'The plan’s stop' })
  await fireEvent.keyDown(stop, { key: 'ArrowUp' })
  expect(on.onstop).toHaveBeenLastCalledWith(75.01)
  await fireEvent.keyDown(stop, { key: 'PageDown' })
  expect(on.onstop).toHaveBeenLastCalledWith(74.9)
})

it('brings a level into view first that is off the scale', async () => {
  const on = acts()
  render(PlanLayer, { view: view(), plan, levels: { ...levels, stop: 50 }, ...on })
  await drag(12)
  expect(on.onreveal).toHaveBeenCalledWith(50)
  expect(on.onstop).not.toHaveBeenCalled()
})

it('draws what is not saved as a proposal, and what was paid as what it is', () => {
  render(PlanLayer, { view: view(), plan, levels, held: true, proposed: true, ...acts() })
  expect(screen.getByText(/proposed stop/)).toBeTruthy()
  expect(screen.queryByText(/proposed entry/)).toBeNull()
})
