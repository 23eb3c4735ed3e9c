/** How a proposal is taken: by Tab, and by Enter where that cannot have been meant as a new line. */
import {
  acceptCompletion,
  closeCompletion,
  completionKeymap,
  completionStatus,
  selectedCompletion,
} from '@codemirror/autocomplete'
import { Prec, type Extension } from '@codemirror/state'
import { EditorView, keymap, type KeyBinding } from '@codemirror/view'

/** What was typed of a name before the cursor. */
function typedIn(view: EditorView): string {
  const at = view.state.selection.main.head
  const line = view.state.doc.lineAt(at)
  return /[a-z_][a-z0-9_.]*$|"[^"]*$/.exec(line.text.slice(0, at - line.from))?.[0].replace('"', '') ?? ''
}

/** Enter takes a proposal after an arrow key, or one that goes on from what was typed; on a complete name it is a new line. */
export function taking(): Extension {
  let moved = false
  const open = (view: EditorView) => completionStatus(view.state) === 'active'
  const arrow = (key: string): KeyBinding => ({
    key,
    run: (view) => {
      moved = open(view)
      return false
    },
  })
  const enter: KeyBinding = {
    key: 'Enter',
    run: (view) => {
      const proposal = open(view) ? selectedCompletion(view.state) : null
      if (!proposal) return false
      const typed = typedIn(view)
      if (moved || (typed !== '' && proposal.label !== typed && proposal.label.startsWith(typed)))
        return acceptCompletion(view)
      closeCompletion(view)
      return false
    },
  }
  return [
    Prec.highest(
      keymap.of([
        arrow('ArrowUp'),
        arrow('ArrowDown'),
        arrow('PageUp'),
        arrow('PageDown'),
        enter,
        { key: 'Tab', run: acceptCompletion },
        ...completionKeymap.filter(({ key }) => key !== 'Enter'),
      ]),
    ),
    EditorView.updateListener.of((update) => {
      if (update.docChanged || !open(update.view)) moved = false
    }),
  ]
}
