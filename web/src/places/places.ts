/** Every place of the application: its address, its name, its key, and what it loads when it is first opened. */
import type { Component } from 'svelte'

type Props = Record<string, unknown>
export interface Place {
  id: string
  title: string
  /** Where the strip leads to it: in the middle with the places, or among the helps on the right. */
  strip?: 'places' | 'helps'
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
    strip: 'helps',
    address: '/account',
    key: 'u',
    help: 'your account, and for staff everybody’s',
    match: (path) => (/^\/account\/?$/.test(path) ? {} : null),
    load: () => import('./Account.svelte'),
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
export const HOME = '/rules'

/** The place of an address with what it is given; null where nothing is. */
export function placeOf(path: string): { place: Place; props: Props } | null {
  for (const place of PLACES) {
    const props = place.match(path)
    if (props) return { place, props }
  }
  return null
}
