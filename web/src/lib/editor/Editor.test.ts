import {
  acceptCompletion,
  completionStatus,
  currentCompletions,
  startCompletion,
} from '@codemirror/autocomplete'
import { EditorView } from '@codemirror/view'
import { render, waitFor } from '@testing-library/svelte'
import { expect, it, vi } from 'vitest'
import type { Entry, RuleProblem } from '$lib/api'
import Editor from './Editor.svelte'

const entry = (name: string, more: Partial<Entry> = {}): Entry =>
  ({
    name,
    signature: `${name}(n)`,
    family: 'Averages',
    result: 'price',
    bare: false,
    help: '',
    formula: '',
    warm_up: '',
    source: '',
    example: '',
    ...more,
  }) as Entry

function editor(value: string, more: Record<string, unknown> = {}) {
  const onchange = vi.fn()
  const { container } = render(Editor, {
    value,
    errors: [],
    advice: [],
    offset: 2,
    entries: [entry('sma'), entry('close', { bare: true, signature: 'close' }), entry('smooth')],
    onchange,
    onmeasure: vi.fn(),
    onsave: vi.fn(),
    online: vi.fn(),
    onlookup: vi.fn(),
    onvalue: () => Promise.resolve(null),
    onfold: vi.fn(),
    onplaces: vi.fn(),
    texts: {
      rules: ['Other rule'],
      sectors: ['Metals'],
      kinds: ['fund', 'share'],
      events: ['Rate'],
      breadths: [],
      universes: [],
    },
    ...more,
  })
  const view = EditorView.findFromDOM(container.querySelector<HTMLElement>('.cm-editor')!)!
  view.dispatch({ selection: { anchor: view.state.doc.length } })
  return { view, onchange }
}

it('proposes the names that begin with what was typed, and puts the chosen one in', async () => {
  const { view, onchange } = editor('close > sm')
  startCompletion(view)
  await waitFor(() => expect(completionStatus(view.state)).toBe('active'))
  expect(
    currentCompletions(view.state)
      .map((c) => c.label)
      .slice(0, 2)
      .sort(),
  ).toEqual(['sma', 'smooth'])
  await new Promise((resolve) => setTimeout(resolve, 100)) // a choice counts once a person could have seen it
  acceptCompletion(view)
  expect(onchange.mock.lastCall![0]).toMatch(/^close > sm(a|ooth)/)
})

it('marks a problem on its line, counted without the head, and mends it', async () => {
  const problem = { line: 3, column: 1, length: 5, message: 'No such name.', mend: 'close' } as RuleProblem
  const { view, onchange } = editor('clsoe > 5', { errors: [problem] })
  await waitFor(() => expect(view.dom.querySelector('.cm-lintRange-error')?.textContent).toBe('clsoe'))
  view.dispatch({ selection: { anchor: 2 } })
  const press = new KeyboardEvent('keydown', { key: 'Enter', altKey: true, bubbles: true, cancelable: true })
  view.contentDOM.dispatchEvent(press)
  expect(onchange).toHaveBeenCalledWith('close > 5', 1)
})

it.each([
  ['kind == "', ['fund', 'share']],
  ['weekday in ("Monday", "', ['Friday', 'Monday', 'Thursday', 'Tuesday', 'Wednesday']],
  ['sector != "', ['Metals']],
  ['event("', ['Rate']],
  ['use "', ['Other rule']],
])('after %s it proposes what there is of that', async (text, wanted) => {
  const { view } = editor(text)
  startCompletion(view)
  await waitFor(() => expect(completionStatus(view.state)).toBe('active'))
  expect(
    currentCompletions(view.state)
      .map((c) => c.label)
      .sort(),
  ).toEqual(wanted)
})
