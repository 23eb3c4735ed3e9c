/** Groups of lines that can be folded away. */
import {
  codeFolding,
  foldedRanges,
  foldEffect,
  foldGutter,
  foldService,
  unfoldEffect,
} from '@codemirror/language'
import type { EditorState } from '@codemirror/state'
import { EditorView } from '@codemirror/view'

/** The lines folded away, counted from 1. */
function hiddenLines(state: EditorState): number[] {
  const found: number[] = []
  foldedRanges(state).between(0, state.doc.length, (from, to) => {
    const last = state.doc.lineAt(to).number
    for (let n = state.doc.lineAt(from).number + 1; n <= last; n++) found.push(n)
  })
  return found
}

/** A group folds to its first line. */
const groups = foldService.of((state, start) => {
  const line = state.doc.lineAt(start)
  if (!/^\s*(?:skip\s+)?(?:any|all|none|at\s+least\s+\S+)\s+of\s*:/.test(line.text)) return null
  const indent = /^\s*/.exec(line.text)![0].length
  let last = line
  for (let n = line.number + 1; n <= state.doc.lines; n++) {
    const next = state.doc.line(n)
    if (next.text.trim() && /^\s*/.exec(next.text)![0].length <= indent) break
    if (next.text.trim()) last = next
  }
  return last.number > line.number ? { from: line.to, to: last.to } : null
})

/** onfold: told which lines are hidden whenever that changes. */
export const folding = (onfold: (hidden: number[]) => void) => [
  groups,
  codeFolding({ placeholderText: ' …' }),
  foldGutter({ openText: '▾', closedText: '▸' }),
  EditorView.updateListener.of((update) => {
    const folded = update.transactions.some((t) =>
      t.effects.some((e) => e.is(foldEffect) || e.is(unfoldEffect)),
    )
    if (folded || (update.docChanged && foldedRanges(update.startState).size))
      onfold(hiddenLines(update.state))
  }),
]
