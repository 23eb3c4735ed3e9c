import { fireEvent, render, screen } from '@testing-library/svelte'
import { expect, it, vi } from 'vitest'
import type { Scan } from '$lib/api'
import Dials from '$lib/ui/Dials.svelte'

const dials = [
  { name: 'reach', value: 60, low: 20, high: 250, step: 10, percent: false },
  { name: 'near', value: 0.05, low: 0.01, high: 0.2, step: null, percent: true },
  { name: 'bare', value: 3, low: null, high: null, step: null, percent: false },
] as unknown as Scan['dials']

it('has a slider for every dial with a range, and says its value', () => {
  render(Dials, { dials, onturn: vi.fn() })
  const sliders = screen.getAllByRole('slider') as HTMLInputElement[]
  expect(sliders.map((s) => [s.min, s.max, s.step, s.value])).toEqual([
    ['20', '250', '10', '60'],
    ['0.01', '0.2', '0.0019', '0.05'],
  ])
  expect(screen.getAllByRole('status').map((o) => o.textContent)).toEqual(['60', '5.0%'])
})

it('tells which dial was turned, and whether it is a percentage', async () => {
  const onturn = vi.fn()
  render(Dials, { dials, onturn })
  const near = screen.getAllByRole('slider')[1] as HTMLInputElement
  await fireEvent.input(near, { target: { value: '0.1' } })
  expect(onturn).toHaveBeenCalledWith('near', expect.closeTo(0.1, 2), true)
})
