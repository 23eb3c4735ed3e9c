/** Every place of the application: its address, its name, its key, and what it loads when it is first opened. */
import type { Component } from 'svelte'

type Props = Record<string, unknown>
export interface Place {
  id: string
  title: string
  /** Where the strip leads to it: in the middle with the places, among the helps on the right, or under the account's name. */
  strip?: 'places' | 'helps' | 'account'
  address: string
  /** The key after `g`. */
  key?: string
  help?: string
  /** What the place is given, from its address; null where the address is another's. */
  match: (path: string) => Props | null
  // Each place knows its own props.
  load: () => Promise<{ default: Component<any> }> // eslint-disable-line @typescript-eslint/no-explicit-any
}

export const PLACES: readonly Place[] = [
  {
    id: 'desk',
    title: 'Desk',
    strip: 'places',
    address: '/desk',
    key: 'e',
    help: 'the desk: the evening in one look',
    match: (path) => (/^\/desk\/?$/.test(path) ? {} : null),
    load: () => import('./desk/DeskPlace.svelte'),
  },
  {
    id: 'rule',
    title: 'Rule',
    address: '/rules/:id',
    match: (path) => {
      const found = /^\/rules\/(\d+)(?:\/([a-z-]+))?\/?$/.exec(path)
      return found && { id: Number(found[1]), tab: found[2] ?? 'hits' }
    },
    load: () => import('./rules/Workspace.svelte'),
  },
  {
    id: 'rules',
    title: 'Rules',
    strip: 'places',
    address: '/rules',
    key: 'r',
    help: 'the list of rules',
    match: (path) => (/^\/rules\/?$/.test(path) ? {} : null),
    load: () => import('./rules/RuleList.svelte'),
  },
  {
    id: 'book',
    title: 'Book',
    address: '/books/:id',
    match: (path) => {
      const found = /^\/books\/(\d+)(?:\/([a-z-]+))?\/?$/.exec(path)
      return found && { id: Number(found[1]), tab: found[2] ?? 'equity' }
    },
    load: () => import('./books/BookPlace.svelte'),
  },
  {
    id: 'books',
    title: 'Books',
    strip: 'places',
    address: '/books',
    key: 'b',
    help: 'the list of books: rules traded as a portfolio',
    match: (path) => (/^\/books\/?$/.test(path) ? {} : null),
    load: () => import('./books/BookList.svelte'),
  },
  {
    id: 'breadth',
    title: 'Breadth',
    strip: 'places',
    address: '/breadth',
    key: 'm',
    help: 'breadth: how many members pass, through all of history',
    match: (path) => {
      const found = /^\/breadth(?:\/(\d+))?\/?$/.exec(path)
      return found && { id: found[1] ? Number(found[1]) : null }
    },
    load: () => import('./breadth/BreadthPlace.svelte'),
  },
  {
    id: 'precedents',
    title: 'Precedents',
    strip: 'places',
    address: '/precedents',
    key: 'p',
    help: 'precedents: how sessions went that began like this one',
    match: (path) => {
      const found = /^\/precedents(?:\/rule\/(\d+))?\/?$/.exec(path)
      return found && { rule: found[1] ? Number(found[1]) : null }
    },
    load: () => import('./precedents/PrecedentsPlace.svelte'),
  },
  {
    id: 'bench',
    title: 'Bench',
    strip: 'places',
    address: '/bench',
    key: 'n',
    help: 'the bench: shortlisted, planned, holding, closed',
    match: (path) => {
      const found = /^\/bench(?:\/(shortlisted|planned|holding|closed)(?:\/(\d+))?)?\/?$/.exec(path)
      return found && { stage: found[1] ?? 'shortlisted', named: found[2] ? Number(found[2]) : null }
    },
    load: () => import('./bench/BenchPlace.svelte'),
  },
  {
    id: 'outbox',
    title: 'Outbox',
    strip: 'places',
    address: '/outbox',
    key: 'o',
    help: 'the outbox: messages, alerts, schedules',
    match: (path) => {
      const found = /^\/outbox(?:\/(\d+|alerts|schedules)(?:\/(\d+))?)?\/?$/.exec(path)
      if (!found || (found[2] && found[1] !== 'schedules')) return null
      const named = found[1] === 'alerts' || found[1] === 'schedules'
      return {
        tab: named ? found[1] : 'messages',
        message: found[1] && !named ? Number(found[1]) : null,
        rule: found[2] ? Number(found[2]) : null,
      }
    },
    load: () => import('./outbox/OutboxPlace.svelte'),
  },
  {
    id: 'symbol',
    title: 'Instrument',
    address: '/symbol/:symbol',
    match: (path) => {
      const found = /^\/symbol\/([A-Za-z0-9.%_-]+)\/?$/.exec(path)
      return found && { symbol: decodeURIComponent(found[1]!) }
    },
    load: () => import('./symbol/SymbolPlace.svelte'),
  },
  {
    id: 'data',
    title: 'Data',
    strip: 'places',
    address: '/data',
    key: 'd',
    help: 'the data: what is there, what comes in, what goes out',
    match: (path) => (/^\/data\/?$/.test(path) ? {} : null),
    load: () => import('./data/DataPlace.svelte'),
  },
  {
    id: 'reference',
    title: 'Reference',
    strip: 'helps',
    address: '/reference',
    key: 'w',
    help: 'the reference of all words',
    match: (path) => {
      const found = /^\/reference(?:\/([a-z0-9_.]*))?\/?$/.exec(path)
      return found && { name: found[1] ?? '' }
    },
    load: () => import('./Reference.svelte'),
  },
  {
    id: 'account',
    title: 'Account',
    strip: 'account',
    address: '/account',
    key: 'u',
    help: 'your account: money, numbers, notifications, password; for staff everybody’s',
    match: (path) => (/^\/account\/?$/.test(path) ? {} : null),
    load: () => import('./account/AccountPlace.svelte'),
  },
  {
    id: 'shared',
    title: 'A shared rule',
    address: '/shared/:token',
    match: (path) => {
      const found = /^\/shared\/([\w-]+)\/?$/.exec(path)
      return found && { token: found[1] }
    },
    load: () => import('./Shared.svelte'),
  },
]
export const HOME = '/desk'

/** The place of an address with what it is given; null where nothing is. */
export function placeOf(path: string): { place: Place; props: Props } | null {
  for (const place of PLACES) {
    const props = place.match(path)
    if (props) return { place, props }
  }
  return null
}
