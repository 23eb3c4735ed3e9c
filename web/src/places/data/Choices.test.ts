import { fireEvent, render, screen } from '@testing-library/svelte'
import { expect, it } from 'vitest'
import type { DataThere } from '$lib/api'
import Choices from './Choices.svelte'

const there = (benchmark: string) => ({ benchmark, zone: '', may: true }) as DataThere

it('leaves what is being typed while the data move, and shows what another has chosen', async () => {
  const { rerender } = render(Choices, { there: there('HARBOR') })
  const box = screen.getByLabelText<HTMLInputElement>(/^Benchmark/)
  expect(box.value).toBe('HARBOR')
  await fireEvent.input(box, { target: { value: 'NORD' } })
  await rerender({ there: there('HARBOR') })
  expect(box.value).toBe('NORD')
  await rerender({ there: there('WEST') })
  expect(box.value).toBe('WEST')
})
