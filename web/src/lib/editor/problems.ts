/** What is wrong with the lines or could be better, marked in the editor, with what mends it. */
import type { Diagnostic } from '@codemirror/lint'
import type { EditorState } from '@codemirror/state'
import type { EditorView } from '@codemirror/view'
import type { RuleProblem } from '$lib/api'

/** A problem where it stands in the editor; null where it is no longer there. offset: header lines before the body. */
export function mark(
  state: EditorState,
  problem: RuleProblem,
  offset: number,
  severity: Diagnostic['severity'],
): Diagnostic | null {
  const doc = state.doc
  const number = problem.line - offset
  if (number < 1 || number > doc.lines) return null
  const line = doc.line(number)
  const from = Math.min(line.from + problem.column - 1, line.to)
  const to = Math.min(Math.max(from + problem.length, from + 1), doc.length)
  const mend = problem.mend
  const whole = severity === 'warning' && problem.length === 1 ? line.to : to
  return {
    from: whole === line.to && severity === 'warning' && problem.length === 1 ? line.from : from,
    to: whole,
    severity,
    message: problem.message,
    actions:
      mend === null || mend === undefined
        ? []
        : [
            {
              name: mend === '' ? 'Remove' : `Write ${mend}`,
              apply: (target, begin, end) =>
                target.dispatch({ changes: { from: begin, to: end, insert: mend } }),
            },
          ],
  }
}

/** All that can be marked: errors, then advice. */
export function marks(
  state: EditorState,
  errors: RuleProblem[],
  advice: RuleProblem[],
  offset: number,
): Diagnostic[] {
  return [
    ...errors.map((p) => mark(state, p, offset, 'error')),
    ...advice.map((p) => mark(state, p, offset, 'warning')),
  ].filter((d): d is Diagnostic => d !== null)
}

/** Puts in the mend of the problem under the cursor, else of the first one on its line, else of the first of all. */
export function mendHere(target: EditorView, all: Diagnostic[]): boolean {
  const head = target.state.selection.main.head
  const line = target.state.doc.lineAt(head)
  const known = all.filter((d) => (d.actions?.length ?? 0) > 0)
  const found =
    known.find((d) => d.from <= head && head <= d.to) ??
    known.find((d) => line.from <= d.from && d.from <= line.to) ??
    known[0]
  found?.actions![0]!.apply(target, found.from, found.to)
  return true
}
