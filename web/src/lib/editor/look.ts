/** How the editor looks. */
import { EditorView } from '@codemirror/view'

export const look = EditorView.theme({
  '&': { fontSize: '13px', backgroundColor: 'transparent' },
  '&.cm-focused': { outline: 'none' },
  '.cm-scroller': { fontFamily: 'var(--font-mono)', lineHeight: '30px' },
  '.cm-content': { padding: '0', caretColor: 'var(--ember)' },
  // What is longer than the pane goes on below, set in.
  '.cm-line': { padding: '0 8px 0 30px', textIndent: '-24px' },
  '.cm-gutters': { backgroundColor: 'transparent', border: 'none', color: 'var(--ink3)' },
  '.cm-lineNumbers .cm-gutterElement': { minWidth: '34px', padding: '0 6px 0 0' },
  '.cm-activeLine': { backgroundColor: 'color-mix(in srgb, var(--row) 35%, transparent)' },
  '.cm-foldGutter .cm-gutterElement': { padding: '0 3px 0 0', cursor: 'pointer' },
  '.cm-foldPlaceholder': { background: 'var(--paper2)', border: 'none', color: 'var(--ink2)' },
  '.cm-cursor': { borderLeftColor: 'var(--ember)', borderLeftWidth: '2px' },
  '&.cm-focused .cm-selectionBackground, .cm-selectionBackground': {
    backgroundColor: 'var(--glow) !important',
  },
  '.cm-tooltip': {
    backgroundColor: 'var(--paper)',
    border: '1px solid var(--hair)',
    color: 'var(--ink)',
    borderRadius: '3px',
  },
  '.cm-tooltip.cm-tooltip-autocomplete > ul': { fontFamily: 'var(--font-mono)', maxHeight: '15em' },
  '.cm-tooltip-autocomplete ul li[aria-selected]': { backgroundColor: 'var(--row)', color: 'var(--ink)' },
  '.cm-completionDetail': { color: 'var(--ink3)', fontStyle: 'normal' },
  '.cm-tooltip-autocomplete completion-section': {
    color: 'var(--ink3)',
    borderBottom: '1px solid var(--hair)',
  },
  '.cm-completionIcon': { display: 'none' },
  '.cm-diagnostic': { fontFamily: 'var(--font-sans)', fontSize: '14px', maxWidth: '30rem' },
  '.cm-diagnostic-error': { borderLeftColor: 'var(--loss)' },
  '.cm-diagnostic-warning': { borderLeftColor: 'var(--ember)' },
  '.cm-diagnosticAction': { backgroundColor: 'var(--ember)', color: 'var(--paper)', padding: '1px 8px' },
  '.cm-matchingBracket': { backgroundColor: 'var(--glow) !important' },
})
