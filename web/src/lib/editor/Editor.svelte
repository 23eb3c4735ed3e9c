<script lang="ts">
  import { untrack } from 'svelte'
  import { autocompletion, closeBrackets } from '@codemirror/autocomplete'
  import { defaultKeymap, history, historyKeymap } from '@codemirror/commands'
  import { bracketMatching, foldKeymap, indentUnit } from '@codemirror/language'
  import { lintKeymap, setDiagnostics } from '@codemirror/lint'
  import { EditorState } from '@codemirror/state'
  import {
    drawSelection,
    EditorView,
    highlightActiveLine,
    keymap,
    lineNumbers,
    placeholder,
  } from '@codemirror/view'
  import type { Entry, RuleProblem } from '$lib/api'
  import { market } from '$lib/market.svelte'
  import { complete, options, type Texts } from './completion'
  import { folding } from './folding'
  import { ruleColours, ruleLanguage } from './language'
  import { look } from './look'
  import { mark, marks, mendHere } from './problems'
  import { taking } from './taking'
  import { meaning, wordAt } from './words'
  import type { Place } from './place'

  interface Props {
    value: string
    errors: RuleProblem[]
    advice: RuleProblem[]
    /** Header lines before the body: the server's line numbers less this are the editor's. */
    offset: number
    entries: Entry[]
    /** line: that of the cursor, from 1. */
    onchange: (text: string, line: number) => void
    onmeasure: () => void
    onsave: () => void
    online: (line: number) => void
    onlookup: (name: string) => void
    texts: Texts
    /** What an expression is for the instrument on show, in words; null where it cannot be said. */
    onvalue: (expression: string) => Promise<string | null>
    /** The lines folded away, counted from 1. */
    onfold: (hidden: number[]) => void
    /** Where each line stands, a wrapped one higher than others. */
    onplaces?: (places: Place[]) => void
    /** Words of this kind of text, each with what it does, besides those of every rule. */
    words?: readonly (readonly [string, string])[]
    label?: string
    example?: string
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
    onplaces,
    words = [],
    label = 'Lines of the rule',
    example = 'close > sma(50)',
  }: Props = $props()
  let host: HTMLDivElement
  let view: EditorView | undefined
  const known = $derived(options(entries, market.now?.frames ?? [], words, market.now?.own ?? []))

  /** Only what differs, so that the cursor stays where it was in the rest. */
  function changed(before: string, after: string): { from: number; to: number; insert: string } {
    const most = Math.min(before.length, after.length)
    let from = 0
    while (from < most && before[from] === after[from]) from++
    let kept = 0
    while (kept < most - from && before.at(-1 - kept) === after.at(-1 - kept)) kept++
    return { from, to: before.length - kept, insert: after.slice(from, after.length - kept) }
  }

  let told = ''
  function measure(target: EditorView): void {
    const { doc } = target.state
    const places = Array.from({ length: doc.lines }, (_, i) => {
      const { top, height } = target.lineBlockAt(doc.line(i + 1).from)
      return { top, height }
    })
    const now = JSON.stringify(places)
    if (now === told) return
    told = now
    onplaces?.(places)
  }

  $effect(() => {
    const created = new EditorView({
      parent: host,
      state: EditorState.create({
        doc: untrack(() => value),
        extensions: [
          lineNumbers(),
          EditorView.lineWrapping,
          folding((hidden) => onfold(hidden)),
          history(),
          drawSelection(),
          highlightActiveLine(),
          bracketMatching(),
          closeBrackets(),
          indentUnit.of('    '),
          ruleLanguage,
          ruleColours,
          look,
          placeholder(example),
          meaning(
            () => entries,
            (expression) => onvalue(expression),
          ),
          autocompletion({
            override: [
              complete(
                () => known,
                () => texts,
              ),
            ],
            icons: false,
            maxRenderedOptions: 60,
            defaultKeymap: false,
          }),
          taking(),
          EditorView.contentAttributes.of({ 'aria-label': label, spellcheck: 'false' }),
          keymap.of([
            { key: 'Mod-Enter', run: () => (onmeasure(), true) },
            { key: 'Mod-s', run: () => (onsave(), true) },
            { key: 'Alt-Enter', run: (target) => mendHere(target, marked(target)) },
            {
              key: 'F1',
              run: (target) => {
                const word = wordAt(target.state, target.state.selection.main.head)
                if (word) onlookup(word.text)
                return true
              },
            },
            ...lintKeymap,
            ...historyKeymap,
            ...foldKeymap,
            ...defaultKeymap,
          ]),
          EditorView.updateListener.of((update) => {
            const line = update.state.doc.lineAt(update.state.selection.main.head).number
            if (update.docChanged) onchange(update.state.doc.toString(), line)
            if (update.geometryChanged || update.docChanged) measure(update.view)
            if (update.selectionSet && !update.docChanged) online(line)
            else if (update.docChanged)
              online(update.view.state.doc.lineAt(update.view.state.selection.main.head).number)
          }),
        ],
      }),
    })
    view = created
    // Once the fonts are there, and whenever the pane is made wider or narrower.
    const watcher = new ResizeObserver(() =>
      created.requestMeasure({ read: (target) => target, write: (target) => measure(target) }),
    )
    watcher.observe(created.contentDOM)
    return () => {
      watcher.disconnect()
      created.destroy()
    }
  })

  $effect(() => {
    const text = value
    if (view && view.state.doc.toString() !== text)
      view.dispatch({ changes: changed(view.state.doc.toString(), text) })
  })

  const marked = (target: EditorView) => marks(target.state, errors, advice, offset)
  $effect(() => {
    const found = view ? marked(view) : []
    if (view) view.dispatch(setDiagnostics(view.state, found))
  })

  /** Puts a mend in the place of its problem. */
  export function apply(problem: RuleProblem): void {
    const found = view && mark(view.state, problem, offset, 'error')
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
