import { fireEvent, render, screen } from '@testing-library/svelte'
import { expect, it, vi } from 'vitest'
import type { Line, Scan } from '$lib/api'
import Taper from './Taper.svelte'

const line = (number: number, left: number, more: Partial<Line> = {}): Line =>
  ({
    number,
    text: `line ${number}`,
    depth: 0,
    skip: false,
    part: '',
    left,
    true: left + 5,
    alone: 3,
    unknown: 0,
    ...more,
  }) as Line

function taper(lines: Line[], more: Record<string, unknown> = {}) {
  const onskip = vi.fn()
  render(Taper, {
    scan: { lines } as unknown as Scan,
    ever: null,
    offset: 0,
    busy: false,
    current: 1,
    hidden: [],
    places: [],
    onskip,
    ...more,
  })
  return onskip
}
const said = () =>
  screen.getAllByRole('button').map((button) => button.textContent!.replace(/\s+/g, ' ').trim())

it('says what each line leaves, the widest bar for the most', () => {
  taper([line(1, 400), line(2, 100), line(3, 7)])
  expect(said().map((text) => text.split(' ')[0])).toEqual(['400', '100', '7'])
  const widths = [...document.querySelectorAll<HTMLElement>('li span[style*="width"]')].map((bar) =>
    parseFloat(bar.style.width),
  )
  expect(widths[0]).toBe(132)
  expect(widths[1]).toBeCloseTo(33)
})

it('says what a line of a group or a skipped line would leave by itself', () => {
  taper([line(1, 400), line(2, 0, { depth: 1 }), line(3, 0, { skip: true })])
  expect(said().slice(1)).toEqual(['5 alone', '5 alone'])
})

it('skips the line that is clicked, by its number in the file', async () => {
  const onskip = taper([line(3, 10), line(4, 2)], { offset: 2 })
  await fireEvent.click(screen.getAllByRole('button')[1]!)
  expect(onskip).toHaveBeenCalledWith(4)
})

it('leaves out what is folded away and moves the rest up', () => {
  taper([line(1, 10), line(2, 9), line(3, 8)], { hidden: [2] })
  expect(screen.getAllByRole('listitem').map((row) => row.style.top)).toEqual(['0px', '30px'])
})

it('shows that its numbers are of the text before', () => {
  taper([line(1, 10)], { busy: true })
  expect(screen.getByRole('list').getAttribute('aria-busy')).toBe('true')
})

it('says how often a line is true once that is known', () => {
  taper([line(1, 10), line(2, 4)], { ever: [0.2, 0.034] })
  const titles = screen.getAllByRole('button').map((button) => button.title)
  expect(titles[0]).toContain('True on 20% of all bars.')
  expect(titles[1]).toContain('True on 3.4% of all bars.')
})

it('says nothing of the whole history before', () => {
  taper([line(1, 10)])
  expect(screen.getByRole('button').title).not.toContain('all bars')
})
