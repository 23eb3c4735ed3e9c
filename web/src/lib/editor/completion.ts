/** Completion from the catalogue and the rule's own names, with the help of each. */
import type { Completion, CompletionContext, CompletionResult } from '@codemirror/autocomplete'
import type { Entry } from '$lib/api'

const WORDS = [
  ['let', 'names an expression: let ceiling = highest(high, 60) 1 ago'],
  ['dial', 'names a number with a range: dial reach = 60 from 20 to 250 step 10'],
  ['use', 'takes another rule’s lines: use "Uptrend stack"'],
  ['skip', 'keeps a line measured, but it decides nothing'],
  ['any of:', 'at least one of the indented lines below'],
  ['all of:', 'every one of the indented lines below'],
  ['none of:', 'not one of the indented lines below'],
  ['at least 2 of:', 'so many of the indented lines below'],
  ['held', 'true on each of the last n bars: close > sma(50) held 5'],
  ['once in', 'true on at least one of the last n bars'],
  ['ago', 'the value n bars earlier: high 1 ago'],
  ['crosses above', 'above now, at or below one bar ago'],
  ['crosses below', 'below now, at or above one bar ago'],
  ['between', 'close between 5 and 50'],
  ['near', 'close near sma(50) by 2%'],
] as const

const WEEKDAYS = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday']

export function helpOf(entry: Entry): () => HTMLElement {
  return () => {
    const box = document.createElement('div')
    box.className = 'cm-help'
    for (const [kind, text] of [
      ['code', entry.signature],
      ['p', entry.help],
      ['code', entry.example],
      [
        'small',
        entry.warm_up === 'never'
          ? ''
          : `unknown ${entry.warm_up.startsWith('until') ? '' : 'for '}${entry.warm_up}`,
      ],
    ] as const) {
      if (!text) continue
      const part = document.createElement(kind)
      part.textContent = text
      box.append(part)
    }
    return box
  }
}

/** Names that have parts only, such as `overnight`: they are offered with the dot that leads to those. */
function wholes(entries: Entry[]): Completion[] {
  const names = new Set(entries.map((entry) => entry.name))
  const found = new Map<string, Completion>()
  for (const { name, signature, family } of entries) {
    const label = name.split('.')[0]!
    if (label === name || names.has(label) || found.has(label)) continue
    const given = /\(.*=(\d+)\)/.exec(signature)?.[1]
    const apply = given ? `${label}(${given}).` : `${label}.`
    found.set(label, { label, apply, info: 'has parts, after the dot', type: 'function', section: family })
  }
  return [...found.values()]
}

export function options(
  entries: Entry[],
  frames: string[],
  words: readonly (readonly [string, string])[] = [],
  own: readonly string[] = [],
): Completion[] {
  const facts = own.flatMap((name) => [
    { label: `own.${name}`, info: 'a fact of your own, from its day on' },
    { label: `own_age.${name}`, info: 'how many days ago that fact was given' },
  ])
  const lead = own.length
    ? [
        {
          label: 'own',
          apply: 'own.',
          info: 'facts of your own, after the dot',
          type: 'variable',
          section: 'facts',
        },
      ]
    : []
  return [
    ...wholes(entries),
    ...lead,
    ...facts.map((fact) => ({ ...fact, type: 'variable', section: 'facts' })),
    ...entries.map((entry) => ({
      label: entry.name,
      // A part's arguments stand with its pattern's name, and are left to that.
      detail: entry.signature.startsWith(entry.name) ? entry.signature.slice(entry.name.length) : '',
      apply: entry.bare ? entry.name : `${entry.name}(`,
      type: entry.result === 'condition' ? 'keyword' : 'function',
      info: helpOf(entry),
      section: entry.family,
    })),
    ...[...words, ...WORDS].map(([label, detail]) => ({
      label,
      info: detail,
      type: 'keyword',
      section: 'words',
    })),
    ...frames.map((label) => ({ label, info: 'a frame, for on(…)', type: 'type', section: 'frames' })),
  ]
}

// How near what was typed comes to a name: the name itself, its beginning, the beginning of one of its words, its letters in their order.
const EXACT = 0
const BEGINS = 1
const WORD = 2
const LETTERS = 3

function nearness(name: string, typed: string): number | null {
  if (name === typed) return EXACT
  if (name.startsWith(typed)) return BEGINS
  if (name.split(/[_. ]/).some((_, i, words) => words.slice(i).join('_').startsWith(typed))) return WORD
  let at = 0
  for (const letter of name) if (letter === typed[at]) at++
  return at === typed.length && name[0] === typed[0] ? LETTERS : null
}

/** The options that what was typed may mean, the likeliest first: names of the rule's own before others, short before long. */
export function ranked(options: Completion[], typed: string): Completion[] {
  const found: { option: Completion; near: number; own: number }[] = []
  for (const option of options) {
    const near = nearness(option.label, typed)
    if (near !== null) found.push({ option, near, own: option.type === 'variable' ? 0 : 1 })
  }
  found.sort(
    (a, b) =>
      a.near - b.near ||
      a.own - b.own ||
      a.option.label.length - b.option.label.length ||
      (a.option.label < b.option.label ? -1 : 1),
  )
  return found.map(({ option }) => ({ ...option, section: undefined }))
}

/** Names that the text itself defines with let and dial. */
export function ownNames(text: string): string[] {
  return [...text.matchAll(/^\s*(?:let|dial)\s+([a-z_][a-z0-9_]*)\s*=/gm)].map((match) => match[1]!)
}

/** What a name of the rule itself stands for. */
export function ownHelp(text: string, name: string): HTMLElement | null {
  const found = new RegExp(`^\\s*(let|dial)\\s+${name}\\s*=\\s*([^#\\n]*)`, 'm').exec(text)
  if (!found) return null
  const box = document.createElement('div')
  box.className = 'cm-help'
  const code = document.createElement('code')
  code.textContent = found[2]!.trim()
  const said = document.createElement('p')
  said.textContent = found[1] === 'let' ? `“${name}” stands for:` : `The dial “${name}”:`
  box.append(said, code)
  return box
}

/** The name at a place of a line, with its arguments where it has any: what a person means by pointing at it. */
export function wholeCall(line: string, from: number, to: number): string {
  if (line[to] !== '(') return line.slice(from, to)
  let depth = 0
  for (let i = to; i < line.length; i++) {
    if (line[i] === '(') depth++
    if (line[i] === ')' && --depth === 0) return line.slice(from, i + 1)
  }
  return line.slice(from, to)
}

/** Texts in quotes: the account's other rules after `use`, and what the market has of each kind of text. */
export interface Texts {
  rules: string[]
  sectors: string[]
  kinds: string[]
  events: string[]
  breadths: string[]
  universes: string[]
}

export function complete(known: () => Completion[], texts: () => Texts) {
  return (context: CompletionContext): CompletionResult | null => {
    const line = context.state.doc.lineAt(context.pos)
    const before = line.text.slice(0, context.pos - line.from)
    // A remark, and a line of the head, which is about to move into the controls: no names of the language stand there.
    if (before.includes('#') || /^\s*(name|universe|bars|side|decide|about)\s*:/.test(before)) return null
    const quoted = /"([^"]*)$/.exec(before)
    if (quoted) {
      const all = texts()
      const asks = (name: string) =>
        new RegExp(`\\b${name}\\s*(==|!=|in)[\\s("]*([^"]*",\\s*")*[^"]*$`).test(before)
      const wanted =
        /^\s*(use|enter)\s+"/.test(before) || asks('held_rule')
          ? all.rules
          : /event\(\s*"/.test(before)
            ? all.events
            : /\bbreadth\(\s*"[^"]*$/.test(before)
              ? all.breadths
              : /\bfor\s*=\s*"[^"]*$/.test(before)
                ? all.universes
                : asks('kind')
                  ? all.kinds
                  : asks('weekday')
                    ? WEEKDAYS
                    : all.sectors
      return {
        from: context.pos - quoted[1]!.length,
        options: wanted.map((label) => ({ label, apply: `${label}"`, type: 'text' })),
        validFor: /^[^"]*$/,
      }
    }
    const word = context.matchBefore(/[a-z_][a-z0-9_]*(\.[a-z0-9_]*){0,2}/)
    if (!word && !context.explicit) return null
    // Of `4w` and `50k` the letter is a unit, not the beginning of a name.
    if (word && /\d/.test(before[word.from - line.from - 1] ?? '')) return null
    const own = ownNames(context.state.doc.toString()).map((label) => ({
      label,
      detail: ' of this rule',
      type: 'variable',
    }))
    // Patterns have many parts: they are offered once the dot is there.
    const parts = word?.text.includes('.') ?? false
    const all = [...own, ...known()].filter((option) => option.label.includes('.') === parts)
    const found = word ? ranked(all, word.text) : all
    return found.length
      ? {
          from: word?.from ?? context.pos,
          options: found,
          filter: false,
          getMatch: (option) =>
            option.label.startsWith(word?.text ?? '') ? [0, word?.text.length ?? 0] : [],
        }
      : null
  }
}
