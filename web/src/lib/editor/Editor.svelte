<script lang="ts">
  import { untrack } from 'svelte'
  import { autocompletion, closeBrackets, completionKeymap } from '@codemirror/autocomplete'
  import { defaultKeymap, history, historyKeymap } from '@codemirror/commands'
  import {
    bracketMatching,
    codeFolding,
    foldedRanges,
    foldEffect,
    foldGutter,
    foldKeymap,
    foldService,
    indentUnit,
    unfoldEffect,
  } from '@codemirror/language'
  import { lintKeymap, setDiagnostics, type Diagnostic } from '@codemirror/lint'
  import { EditorState } from '@codemirror/state'
  import {
    drawSelection,
    EditorView,
    highlightActiveLine,
    hoverTooltip,
    keymap,
    lineNumbers,
    placeholder,
  } from '@codemirror/view'
  import type { Entry, RuleProblem } from '$lib/api'
  import { complete, helpOf, options, ownHelp, wholeCall, type Texts } from './completion'
  import { ruleColours, ruleLanguage } from './language'

  interface Props {
    value: string
    errors: RuleProblem[]
    advice: RuleProblem[]
    /** Header lines before the body: the server's line numbers less this are the editor's. */
    offset: number
    entries: Entry[]
    onchange: (text: string) => void
    onmeasure: () => void
    onsave: () => void
    online: (line: number) => void
    onlookup: (name: string) => void
    texts: Texts
    /** What an expression is for the instrument on show, in words; null where it cannot be said. */
    onvalue: (expression: string) => Promise<string | null>
    /** The lines folded away, counted from 1. */
    onfold: (hidden: number[]) => void
  }
  const {
    value,
    errors,
    advice,
    offset,
    entries,
    onchange,
    onmeasure,
    onsave,
    online,
    onlookup,
    texts,
    onvalue,
    onfold,
  }: Props = $props()
  let host: HTMLDivElement
  let view: EditorView | undefined
  const known = $derived(options(entries, ['day', 'week', 'month']))

  const look = EditorView.theme({
    '&': { fontSize: '13px', backgroundColor: 'transparent' },
    '&.cm-focused': { outline: 'none' },
    '.cm-scroller': { fontFamily: 'var(--font-mono)', lineHeight: '30px', overflowX: 'auto' },
    '.cm-content': { padding: '0', caretColor: 'var(--ember)' },
    '.cm-line': { padding: '0 8px 0 6px' },
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

  function wordAt(state: EditorState, position: number): { from: number; to: number; text: string } | null {
    const line = state.doc.lineAt(position)
    for (const match of line.text.matchAll(/[a-z_][a-z0-9_]*/g)) {
      const from = line.from + match.index
      if (from <= position && position <= from + match[0].length)
        return { from, to: from + match[0].length, text: match[0] }
    }
    return null
  }

  const meaning = hoverTooltip((target, position) => {
    const word = wordAt(target.state, position)
    if (!word) return null
    const entry = entries.find((e) => e.name === word.text)
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

  /** Puts in the mend of the problem under the cursor, else of the first one on its line, else of the first of all. */
  function mendHere(target: EditorView): boolean {
    const head = target.state.selection.main.head
    const line = target.state.doc.lineAt(head)
    const known = [...errors.map((p) => mark(p, 'error')), ...advice.map((p) => mark(p, 'warning'))].filter(
      (d): d is Diagnostic => d !== null && (d.actions?.length ?? 0) > 0,
    )
    const found =
      known.find((d) => d.from <= head && head <= d.to) ??
      known.find((d) => line.from <= d.from && d.from <= line.to) ??
      known[0]
    found?.actions![0]!.apply(target, found.from, found.to)
    return true
  }

  function reach(target: EditorView): void {
    const scroller = target.scrollDOM
    scroller.tabIndex = scroller.scrollWidth > scroller.clientWidth ? 0 : -1
  }

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

  $effect(() => {
    const created = new EditorView({
      parent: host,
      state: EditorState.create({
        doc: untrack(() => value),
        extensions: [
          lineNumbers(),
          groups,
          codeFolding({ placeholderText: ' …' }),
          foldGutter({ openText: '▾', closedText: '▸' }),
          history(),
          drawSelection(),
          highlightActiveLine(),
          bracketMatching(),
          closeBrackets(),
          indentUnit.of('    '),
          ruleLanguage,
          ruleColours,
          look,
          placeholder('close > sma(50)'),
          meaning,
          autocompletion({
            override: [
              complete(
                () => known,
                () => texts,
              ),
            ],
            icons: false,
            maxRenderedOptions: 60,
          }),
          EditorView.contentAttributes.of({ 'aria-label': 'Lines of the rule', spellcheck: 'false' }),
          keymap.of([
            { key: 'Mod-Enter', run: () => (onmeasure(), true) },
            { key: 'Mod-s', run: () => (onsave(), true) },
            { key: 'Alt-Enter', run: mendHere },
            {
              key: 'F1',
              run: (target) => {
                const word = wordAt(target.state, target.state.selection.main.head)
                if (word) onlookup(word.text)
                return true
              },
            },
            ...completionKeymap,
            ...lintKeymap,
            ...historyKeymap,
            ...foldKeymap,
            ...defaultKeymap,
          ]),
          EditorView.updateListener.of((update) => {
            if (update.docChanged) onchange(update.state.doc.toString())
            if (update.geometryChanged) reach(update.view)
            const folded = update.transactions.some((t) =>
              t.effects.some((e) => e.is(foldEffect) || e.is(unfoldEffect)),
            )
            if (folded || (update.docChanged && foldedRanges(update.startState).size))
              onfold(hiddenLines(update.state))
            if (update.selectionSet || update.docChanged)
              online(update.state.doc.lineAt(update.state.selection.main.head).number)
          }),
        ],
      }),
    })
    view = created
    // Lines wider than the pane are reached by the arrow keys too.
    const watcher = new ResizeObserver(() => reach(created))
    watcher.observe(created.contentDOM)
    return () => {
      watcher.disconnect()
      created.destroy()
    }
  })

  $effect(() => {
    const text = value
    if (view && view.state.doc.toString() !== text)
      view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: text } })
  })

  function mark(problem: RuleProblem, severity: Diagnostic['severity']): Diagnostic | null {
    if (!view) return null
    const doc = view.state.doc
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
                name: mend === '' ? 'Take it out' : `Write ${mend}`,
                apply: (target, begin, end) =>
                  target.dispatch({ changes: { from: begin, to: end, insert: mend } }),
              },
            ],
    }
  }

  $effect(() => {
    const found = [...errors.map((p) => mark(p, 'error')), ...advice.map((p) => mark(p, 'warning'))].filter(
      (d): d is Diagnostic => d !== null,
    )
    if (view) view.dispatch(setDiagnostics(view.state, found))
  })

  /** Puts a mend in the place of its problem. */
  export function apply(problem: RuleProblem): void {
    const found = mark(problem, 'error')
    if (view && found && problem.mend !== null)
      view.dispatch({ changes: { from: found.from, to: found.to, insert: problem.mend } })
    view?.focus()
  }

  export function focus(line?: number): void {
    if (!view) return
    if (line)
      view.dispatch({
        selection: { anchor: view.state.doc.line(Math.min(line, view.state.doc.lines)).to },
        scrollIntoView: true,
      })
    view.focus()
  }
</script>

<div bind:this={host}></div>

<style>
  div :global(.cm-help) {
    display: flex;
    flex-direction: column;
    gap: 4px;
    max-width: 24rem;
    padding: 4px 2px;
    font-family: var(--font-sans);
  }
  div :global(.cm-help code) {
    font-family: var(--font-mono);
    color: var(--gain);
  }
  div :global(.cm-help .cm-value) {
    font-family: var(--font-mono);
    font-size: 12.5px;
    color: var(--ember);
  }
  div :global(.cm-help small) {
    color: var(--ink3);
  }
</style>
