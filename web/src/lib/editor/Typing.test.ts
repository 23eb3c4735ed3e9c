/** Rules typed key by key: what stands in the editor is what was typed, whatever is proposed on the way. */
import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { EditorView } from '@codemirror/view'
import { render } from '@testing-library/svelte'
import { afterEach, beforeEach, expect, it, vi } from 'vitest'
import { completionStatus } from '@codemirror/autocomplete'
import type { Entry } from '$lib/api'
import Editor from './Editor.svelte'

const ROOT = join(process.cwd(), '..')
const STARTERS = join(ROOT, 'upperwick', 'rules', 'starters')
const texts = readdirSync(STARTERS, { recursive: true, encoding: 'utf-8' })
  .filter((name) => name.endsWith('.rule'))
  .sort()
  .map((name): [string, string] => {
    const text = readFileSync(join(STARTERS, name), 'utf-8')
    return [name, text.slice(text.indexOf('\n\n') + 2).trim()]
  })
texts.push([
  'short names at the ends of lines',
  'close < open\nrange > atr\nhigh > low\nadr > 3%\nclose < open held 4w\nrel_volume > 2\nrange > atr',
])

/** All names of the language, from the reference that is made of the catalogue. */
const entries = [
  ...readFileSync(join(ROOT, 'docs', 'language.md'), 'utf-8').matchAll(/^\| `([a-z_][^`]*)` \|/gm),
].map(([, signature]) => {
  const [, name, parameters = '', part = ''] = /^([a-z_0-9.]+)(?:\(([^)]*)\))?(\.[a-z_.]+)?/.exec(signature!)!
  const bare = parameters === '' || parameters.split(',').every((one) => one.includes('='))
  return {
    name: name + part,
    signature: signature!,
    family: '',
    result: 'number',
    bare,
    help: '',
    example: '',
    warm_up: '',
  } as Entry
})

beforeEach(() => void vi.useFakeTimers())
afterEach(() => void vi.useRealTimers())

/** One key as a browser gives it: the key's event first, then, where nobody took that, what it types. */
function press(view: EditorView, key: string): void {
  const event = new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true })
  view.contentDOM.dispatchEvent(event)
  if (event.defaultPrevented || key.length > 1) return
  const { from, to } = view.state.selection.main
  const insert = () =>
    view.state.update({
      changes: { from, to, insert: key },
      selection: { anchor: from + 1 },
      userEvent: 'input.type',
    })
  if (!view.state.facet(EditorView.inputHandler).some((take) => take(view, from, to, key, insert)))
    view.dispatch(insert())
}

it('knows the names that rules use', () => {
  const names = new Set(entries.map((entry) => entry.name))
  expect(names.size).toBeGreaterThan(200)
  expect(
    ['close', 'sma', 'rsi', 'opening_range.high', 'double_bottom'].filter((name) => !names.has(name)),
  ).toEqual([])
})

it.each(texts)('%s', async (_, text) => {
  const quiet = { rules: [], sectors: [], kinds: [], events: [], breadths: [], universes: [] }
  const { container } = render(Editor, {
    ...{
      value: '',
      errors: [],
      advice: [],
      offset: 0,
      entries,
      texts: quiet,
      onvalue: () => Promise.resolve(null),
    },
    ...{
      onchange: vi.fn(),
      onmeasure: vi.fn(),
      onsave: vi.fn(),
      online: vi.fn(),
      onlookup: vi.fn(),
      onfold: vi.fn(),
    },
  })
  const view = EditorView.findFromDOM(container.querySelector<HTMLElement>('.cm-editor')!)!
  let chance = text.length
  let proposed = 0
  const key = async (name: string) => {
    press(view, name)
    chance = (chance * 48_271) % 2_147_483_647
    await vi.advanceTimersByTimeAsync(60 + (chance % 80)) // as fast as people type
    if (completionStatus(view.state) === 'active') proposed++
  }
  const line = () => view.state.doc.lineAt(view.state.selection.main.head).text
  for (const [number, wanted] of text.split('\n').entries()) {
    if (number) await key('Enter')
    const indent = wanted.length - wanted.trimStart().length
    // The indentation a new line begins with is taken over, or taken back, a step at a time.
    while (number && line().length > indent) await key('Backspace')
    for (const letter of wanted.slice(Math.min(line().length, indent))) await key(letter)
  }
  expect(view.state.doc.toString()).toBe(text)
  expect(proposed).toBeGreaterThan(3)
})
