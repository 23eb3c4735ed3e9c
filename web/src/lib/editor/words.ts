/** The word under the cursor or the pointer, and what it means. */
import type { EditorState } from '@codemirror/state'
import { hoverTooltip } from '@codemirror/view'
import type { Entry } from '$lib/api'
import { helpOf, ownHelp, wholeCall } from './completion'

export function wordAt(
  state: EditorState,
  position: number,
): { from: number; to: number; text: string } | null {
  const line = state.doc.lineAt(position)
  for (const match of line.text.matchAll(/[a-z_][a-z0-9_]*/g)) {
    const from = line.from + match.index
    if (from <= position && position <= from + match[0].length)
      return { from, to: from + match[0].length, text: match[0] }
  }
  return null
}

/** What stands under the pointer: its help, and what it is for the instrument on show. */
export const meaning = (entries: () => Entry[], onvalue: (expression: string) => Promise<string | null>) =>
  hoverTooltip((target, position) => {
    const word = wordAt(target.state, position)
    if (!word) return null
    const entry = entries().find((e) => e.name === word.text)
    const own = entry ? null : ownHelp(target.state.doc.toString(), word.text)
    const dom = entry ? helpOf(entry)() : own
    if (!dom) return null
    const line = target.state.doc.lineAt(position)
    const expression = wholeCall(line.text, word.from - line.from, word.to - line.from)
    const said = document.createElement('p')
    said.className = 'cm-value'
    dom.prepend(said)
    void onvalue(expression).then((value) => {
      if (value === null) said.remove()
      else said.textContent = value
    })
    return { pos: word.from, end: word.to, above: true, create: () => ({ dom }) }
  })
