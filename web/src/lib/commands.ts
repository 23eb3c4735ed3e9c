/** Every key of the interface, once: what handles a key asks here which command it is, and the list of keys is this list. */
import { isCommand } from './keys'

interface Row {
  /** Where it counts; a scope is a place, or a part of one. */
  scope: Scope
  /** As the event names them; `mod+` stands for Ctrl, or ⌘. */
  keys: readonly string[]
  what: string
  /** How the keys are shown, where their names are not what is printed on them. */
  shown?: string
}

export const SCOPES = {
  everywhere: 'Everywhere',
  list: 'A list or table that has the focus',
  rules: 'The list of rules',
  rule: 'The rule',
  lines: 'Its lines, while typing',
  hits: 'Hits',
  chart: 'A chart',
  sheet: 'The sheet',
  trade: 'A trade on its chart',
  book: 'A book',
  outbox: 'The outbox',
  bench: 'The bench',
} as const
export type Scope = keyof typeof SCOPES

const row = <const R extends Row>(one: R): R => one
export const COMMANDS = {
  'session.back': row({ scope: 'everywhere', keys: ['['], what: 'one session back' }),
  'session.forward': row({ scope: 'everywhere', keys: [']'], what: 'one session forward' }),
  'minute.back': row({ scope: 'everywhere', keys: ['-'], what: 'five minutes back, within the day' }),
  'minute.forward': row({ scope: 'everywhere', keys: ['='], what: 'five minutes forward' }),
  'week.back': row({ scope: 'everywhere', keys: ['{'], what: 'one week back' }),
  'week.forward': row({ scope: 'everywhere', keys: ['}'], what: 'one week forward' }),
  'month.back': row({ scope: 'everywhere', keys: ['<'], what: 'one month back' }),
  'month.forward': row({ scope: 'everywhere', keys: ['>'], what: 'one month forward' }),
  find: row({ scope: 'everywhere', keys: ['mod+k'], what: 'find anything', shown: 'Ctrl K' }),
  shortlist: row({ scope: 'everywhere', keys: ['s'], what: 'put the instrument in view on the bench' }),
  undo: row({
    scope: 'everywhere',
    keys: ['z'],
    what: 'what the line at the foot offers: mostly Undo',
  }),
  keys: row({ scope: 'everywhere', keys: ['?'], what: 'this list' }),
  'part.next': row({ scope: 'everywhere', keys: ['F6'], what: 'the next part of the page' }),
  'part.before': row({
    scope: 'everywhere',
    keys: ['shift+F6'],
    what: 'the part before',
    shown: 'Shift F6',
  }),
  'row.next': row({ scope: 'list', keys: ['ArrowDown'], what: 'the next row', shown: '↓' }),
  'row.before': row({ scope: 'list', keys: ['ArrowUp'], what: 'the row before', shown: '↑' }),
  'bench.next': row({ scope: 'bench', keys: ['j'], what: 'the next instrument' }),
  'bench.before': row({ scope: 'bench', keys: ['k'], what: 'the instrument before' }),
  'bench.keep': row({ scope: 'bench', keys: ['m'], what: 'on to the next stage' }),
  'bench.drop': row({ scope: 'bench', keys: ['x'], what: 'drop it' }),
  'bench.fill': row({ scope: 'bench', keys: ['b'], what: 'enter what was bought or sold' }),
  'bench.note': row({ scope: 'bench', keys: ['n'], what: 'write a note' }),
  'outbox.next': row({ scope: 'outbox', keys: ['j'], what: 'the next message' }),
  'outbox.before': row({ scope: 'outbox', keys: ['k'], what: 'the message before' }),
  'outbox.delete': row({ scope: 'outbox', keys: ['Delete'], what: 'delete the message', shown: 'Del' }),
  'rules.next': row({ scope: 'rules', keys: ['j'], what: 'the next rule; Enter opens it' }),
  'rules.before': row({ scope: 'rules', keys: ['k'], what: 'the rule before' }),
  'rules.find': row({ scope: 'rules', keys: ['/'], what: 'find a rule' }),
  'rule.edit': row({ scope: 'rule', keys: ['e'], what: 'go to its lines' }),
  'rule.save': row({ scope: 'rule', keys: ['mod+s'], what: 'save it', shown: 'Ctrl S' }),
  'rule.measure': row({
    scope: 'rule',
    keys: ['mod+Enter'],
    what: 'measure follow-through',
    shown: 'Ctrl Enter',
  }),
  'book.edit': row({ scope: 'book', keys: ['e'], what: 'go to its lines' }),
  'book.save': row({ scope: 'book', keys: ['mod+s'], what: 'save it', shown: 'Ctrl S' }),
  'book.run': row({ scope: 'book', keys: ['mod+Enter'], what: 'run it', shown: 'Ctrl Enter' }),
  'lines.mend': row({
    scope: 'lines',
    keys: ['alt+Enter'],
    what: 'put in the mend of the error or advice at the cursor',
    shown: 'Alt Enter',
  }),
  'lines.look': row({ scope: 'lines', keys: ['F1'], what: 'look up the name under the cursor' }),
  'lines.complete': row({ scope: 'lines', keys: ['mod+ '], what: 'complete a name', shown: 'Ctrl Space' }),
  'lines.leave': row({ scope: 'lines', keys: ['Escape'], what: 'leave the lines', shown: 'Esc' }),
  'hits.next': row({ scope: 'hits', keys: ['j'], what: 'next instrument' }),
  'hits.before': row({ scope: 'hits', keys: ['k'], what: 'the instrument before' }),
  'hits.alone': row({ scope: 'hits', keys: ['Enter'], what: 'the chart alone, and back beside the list' }),
  'hits.beside': row({ scope: 'hits', keys: ['Escape'], what: 'back beside the list', shown: 'Esc' }),
  'hits.select': row({ scope: 'hits', keys: ['v'], what: 'select the instrument, and let it go' }),
  'hits.compare': row({ scope: 'hits', keys: ['c'], what: 'compare with the session before' }),
  'hits.filter': row({ scope: 'hits', keys: ['/'], what: 'filter the hits' }),
  'hits.column': row({
    scope: 'hits',
    keys: ['alt+ArrowLeft', 'alt+ArrowRight'],
    what: 'move the column whose head is focused; with Shift, its width',
    shown: 'Alt ← →',
  }),
  'chart.why': row({ scope: 'chart', keys: ['w'], what: 'why it is a hit, line by line' }),
  'chart.facts': row({ scope: 'chart', keys: ['f'], what: 'facts and reports' }),
  'chart.patterns': row({ scope: 'chart', keys: ['p'], what: 'live patterns' }),
  'chart.line': row({ scope: 'chart', keys: ['t'], what: 'draw a trend line (Alt: without snapping)' }),
  'chart.letgo': row({ scope: 'chart', keys: ['Escape'], what: 'deselect drawing', shown: 'Esc' }),
  'chart.erase': row({
    scope: 'chart',
    keys: ['Delete', 'Backspace'],
    what: 'erase the drawing in hand',
    shown: 'Del',
  }),
  'chart.runbefore': row({ scope: 'chart', keys: [','], what: 'previous hits' }),
  'sheet.next': row({ scope: 'sheet', keys: ['j', 'ArrowRight'], what: 'next chart', shown: 'j  →' }),
  'sheet.before': row({ scope: 'sheet', keys: ['k', 'ArrowLeft'], what: 'the chart before', shown: 'k  ←' }),
  'sheet.down': row({ scope: 'sheet', keys: ['ArrowDown'], what: 'the chart below', shown: '↓' }),
  'sheet.up': row({ scope: 'sheet', keys: ['ArrowUp'], what: 'the chart above', shown: '↑' }),
  'sheet.page': row({ scope: 'sheet', keys: ['PageDown'], what: 'next page', shown: 'Page ↓' }),
  'sheet.pageback': row({ scope: 'sheet', keys: ['PageUp'], what: 'the page before', shown: 'Page ↑' }),
  'sheet.open': row({ scope: 'sheet', keys: ['Enter'], what: 'open the chart' }),
  'sheet.dismiss': row({ scope: 'sheet', keys: ['x'], what: 'dismiss the chart' }),
  'sheet.undo': row({ scope: 'sheet', keys: ['u'], what: 'bring it back' }),
  'trade.next': row({ scope: 'trade', keys: ['j', 'ArrowDown'], what: 'the next hit', shown: 'j  ↓' }),
  'trade.before': row({ scope: 'trade', keys: ['k', 'ArrowUp'], what: 'the hit before', shown: 'k  ↑' }),
  'trade.close': row({ scope: 'trade', keys: ['Escape'], what: 'back to the figures', shown: 'Esc' }),
} as const satisfies Record<string, Row>
export type Command = keyof typeof COMMANDS
/** The commands of one scope. */
export type CommandIn<S extends Scope> = {
  [C in Command]: (typeof COMMANDS)[C]['scope'] extends S ? C : never
}[Command]

const FUNCTION = /^F\d/ // keys that are typed into nothing
const rows = Object.entries(COMMANDS) as [Command, Row][]

function named(event: KeyboardEvent): string {
  const shift = event.shiftKey && FUNCTION.test(event.key) ? 'shift+' : ''
  return (event.ctrlKey || event.metaKey ? 'mod+' : '') + (event.altKey ? 'alt+' : '') + shift + event.key
}

/** The command of a scope that a key press means, null for none; keys that are typed into something are no commands, except with Ctrl. */
export function commandIn<S extends Scope>(event: KeyboardEvent, scope: S): CommandIn<S> | null {
  const name = named(event)
  const typed = !name.startsWith('mod+') && !FUNCTION.test(event.key)
  if (typed ? !isCommand(event) : event.defaultPrevented) return null
  const found = rows.find(([, one]) => one.scope === scope && one.keys.includes(name))
  return (found?.[0] as CommandIn<S> | undefined) ?? null
}

/** The first key of a command as it is shown, for titles. */
export function shownKey(command: Command): string {
  const one: Row = COMMANDS[command]
  return one.shown ?? one.keys.join('  ')
}

/** All commands by scope, for the list of keys. */
export function listed(): [string, [Command, Row][]][] {
  return (Object.keys(SCOPES) as Scope[]).map((scope) => [
    SCOPES[scope],
    rows.filter(([, one]) => one.scope === scope),
  ])
}
