/** Everything that is fetched: one cache, under one name for each question. Nothing asks again by a clock: what moved is told (moved.ts). */
import { createQuery, keepPreviousData, QueryClient, queryOptions } from '@tanstack/svelte-query'
import { api, books, data, Problem, type Asked, type ChartChoice, type Drawn, type Schemas } from './api'
import { bench, deskApi } from './desk'
import { breadths, precedents } from './whole'

const AWAY = [0, 502, 504] // no answer: asked until there is one
const NOT_YET = 503
const GAVE_WAY = 409
const SHORT = 60_000 // how long what is large is kept once nobody looks at it

export const client = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: Infinity,
      networkMode: 'always', // the server may well be this machine
      refetchOnWindowFocus: false,
      structuralSharing: false,
      retry: (failures, error) =>
        error instanceof Problem &&
        (AWAY.includes(error.status) || (error.status === NOT_YET && failures < 2)),
      retryDelay: (failures) => Math.min(300 * 2 ** failures, 5_000),
    },
  },
})

type Counted = Asked & { columns: string[] }
type Charted = Asked & {
  symbol: string
  bars: number
  frame: ChartChoice['frame']
  panes: string[][]
  all_patterns: boolean
}
type Sheet = Asked & { symbols: string[]; bars: number; frame: ChartChoice['frame'] }

/** Questions by name. The first part of a key says what it is about, so that it can be made void when that moves. */
export const ask = {
  session: () => queryOptions({ queryKey: ['session'], queryFn: api.session }),
  people: () => queryOptions({ queryKey: ['people'], queryFn: api.people }),
  market: () => queryOptions({ queryKey: ['market'], queryFn: api.market }),
  catalogue: () => queryOptions({ queryKey: ['catalogue'], queryFn: api.catalogue }),
  preferences: () => queryOptions({ queryKey: ['preferences'], queryFn: api.preferences }),
  lists: () => queryOptions({ queryKey: ['lists'], queryFn: api.lists }),
  rules: () => queryOptions({ queryKey: ['rules'], queryFn: api.rules }),
  rule: (id: number) =>
    queryOptions({ queryKey: ['rules', 'one', id], queryFn: () => api.rule(id), staleTime: 0 }),
  versions: (rule: number) =>
    queryOptions({ queryKey: ['rules', 'versions', rule], queryFn: () => api.versions(rule) }),
  seal: (rule: number) => queryOptions({ queryKey: ['rules', 'seal', rule], queryFn: () => api.seal(rule) }),
  shared: (token: string) => queryOptions({ queryKey: ['shared', token], queryFn: () => api.shared(token) }),
  /** The counts of a text, with the question that they answer. */
  scan: (asked: Counted) =>
    queryOptions({
      queryKey: ['bars', 'scan', asked],
      queryFn: async ({ signal }) => ({ asked, scan: await api.scan(asked, signal) }),
      gcTime: SHORT,
    }),
  /** What the whole history says of a text's lines, asked for once its counts are there. */
  history: (asked: Asked) =>
    queryOptions({
      queryKey: ['bars', 'history', asked],
      queryFn: ({ signal }) => api.history(asked, signal),
      gcTime: SHORT,
      // It gave way to what another window of the account asked.
      retry: (failures, error) => error instanceof Problem && error.status === GAVE_WAY && failures < 6,
    }),
  since: (asked: Asked) =>
    queryOptions({ queryKey: ['bars', 'since', asked], queryFn: () => api.since(asked), gcTime: SHORT }),
  chart: (asked: Charted) =>
    queryOptions({
      queryKey: ['bars', 'chart', asked],
      queryFn: ({ signal }) => api.chart(asked, signal),
      gcTime: SHORT,
    }),
  charts: (asked: Sheet) =>
    queryOptions({
      queryKey: ['bars', 'charts', asked],
      queryFn: ({ signal }) => api.charts(asked, signal),
      gcTime: SHORT,
    }),
  explain: (text: string, symbol: string, day: string) =>
    queryOptions({
      queryKey: ['bars', 'explain', text, symbol, day],
      queryFn: () => api.explain(text, symbol, day),
      gcTime: SHORT,
    }),
  facts: (symbol: string, asOf: string | null) =>
    queryOptions({ queryKey: ['bars', 'facts', symbol, asOf], queryFn: () => api.facts(symbol, asOf) }),
  drawings: (symbol: string, of: Drawn) =>
    queryOptions({
      queryKey: ['bars', 'drawings', symbol, of],
      queryFn: () => api.drawings(symbol, of),
      staleTime: 0,
    }),
  trade: (run: number, symbol: string, day: string, horizon: number) =>
    queryOptions({
      queryKey: ['bars', 'trade', run, symbol, day, horizon],
      queryFn: () => api.trade(run, symbol, day, horizon),
    }),
  aloud: (text: string) =>
    queryOptions({ queryKey: ['aloud', text], queryFn: () => api.aloud(text), gcTime: SHORT }),
  phrase: (text: string) =>
    queryOptions({ queryKey: ['phrase', text], queryFn: ({ signal }) => api.phrase(text, signal) }),
  books: () => queryOptions({ queryKey: ['books'], queryFn: books.all }),
  book: (id: number) =>
    queryOptions({ queryKey: ['books', 'one', id], queryFn: () => books.one(id), staleTime: 0 }),
  bookVersions: (id: number) =>
    queryOptions({ queryKey: ['books', 'versions', id], queryFn: () => books.versions(id) }),
  bookSeal: (id: number) => queryOptions({ queryKey: ['books', 'seal', id], queryFn: () => books.seal(id) }),
  desk: () => queryOptions({ queryKey: ['alerts', 'desk'], queryFn: deskApi.desk, staleTime: 0 }),
  bench: (asOf: string | null) =>
    queryOptions({ queryKey: ['bench', 'all', asOf], queryFn: () => bench.all(asOf) }),
  plan: (id: number, body: Schemas['PlanTried']) =>
    queryOptions({
      queryKey: ['bench', 'plan', id, body],
      queryFn: async ({ signal }) => ({ body, plan: await bench.plan(id, body, signal) }),
      gcTime: SHORT,
    }),
  benchHistory: (id: number) =>
    queryOptions({ queryKey: ['bench', 'history', id], queryFn: () => bench.history(id) }),
  position: (id: number, asOf: string | null) =>
    queryOptions({ queryKey: ['bench', 'position', id, asOf], queryFn: () => bench.position(id, asOf) }),
  fillImports: () => queryOptions({ queryKey: ['bench', 'imports'], queryFn: bench.fillImports }),
  technicalState: (symbol: string, asOf: string | null) =>
    queryOptions({ queryKey: ['bars', 'state', symbol, asOf], queryFn: () => bench.state(symbol, asOf) }),
  alerts: (symbol?: string) =>
    queryOptions({ queryKey: ['alerts', 'alerts', symbol ?? ''], queryFn: () => deskApi.alerts(symbol) }),
  schedules: () => queryOptions({ queryKey: ['alerts', 'schedules'], queryFn: deskApi.schedules }),
  outbox: (search: string) =>
    queryOptions({ queryKey: ['alerts', 'outbox', search], queryFn: () => deskApi.outbox(search) }),
  message: (id: number) =>
    queryOptions({ queryKey: ['alerts', 'message', id], queryFn: () => deskApi.message(id) }),
  find: (q: string) =>
    queryOptions({
      queryKey: ['find', q],
      queryFn: ({ signal }) => deskApi.find(q, signal),
      gcTime: SHORT,
      staleTime: SHORT,
    }),
  breadths: () => queryOptions({ queryKey: ['breadths'], queryFn: breadths.all }),
  /** A breadth through history, with the question that it answers. */
  breadth: (asked: Schemas['BreadthIn']) =>
    queryOptions({
      queryKey: ['bars', 'breadth', asked],
      queryFn: async ({ signal }) => ({ asked, found: await breadths.look(asked, signal) }),
      gcTime: SHORT,
    }),
  passings: (asked: Schemas['BreadthIn']) =>
    queryOptions({
      queryKey: ['bars', 'passings', asked],
      queryFn: async ({ signal }) => ({ asked, found: await breadths.passings(asked, signal) }),
      gcTime: SHORT,
    }),
  precedents: (asked: Schemas['PrecedentsIn']) =>
    queryOptions({
      queryKey: ['bars', 'precedents', asked],
      queryFn: async ({ signal }) => ({ asked, found: await precedents.look(asked, signal) }),
      gcTime: SHORT,
    }),
  sessionChart: (symbol: string, day: string) =>
    queryOptions({
      queryKey: ['bars', 'session chart', symbol, day],
      queryFn: () => precedents.session(symbol, day),
      gcTime: SHORT,
    }),
  data: () => queryOptions({ queryKey: ['data'], queryFn: data.there, staleTime: 0 }),
  feed: () => queryOptions({ queryKey: ['data', 'feed'], queryFn: data.feed, staleTime: 0 }),
  sizes: () => queryOptions({ queryKey: ['sizes'], queryFn: books.sizes }),
  positionNames: () => queryOptions({ queryKey: ['position names'], queryFn: books.names }),
  /** What a book's text says, with the text that is meant. It hangs on the account's rules too. */
  bookCheck: (text: string) =>
    queryOptions({
      queryKey: ['rules', 'book check', text],
      queryFn: async ({ signal }) => ({ text, said: await books.check(text, signal) }),
      gcTime: SHORT,
    }),
  bookAloud: (text: string) =>
    queryOptions({ queryKey: ['book aloud', text], queryFn: () => books.aloud(text), gcTime: SHORT }),
  bookToday: (body: Schemas['TodayIn']) =>
    queryOptions({
      queryKey: ['bars', 'book today', body],
      queryFn: () => books.today(body),
      gcTime: SHORT,
    }),
  bookRuns: (id: number) => queryOptions({ queryKey: ['jobs', 'books', id], queryFn: () => books.runs(id) }),
  bookComparison: (first: number, second: number) =>
    queryOptions({
      queryKey: ['jobs', 'book comparison', first, second],
      queryFn: () => books.compare(first, second),
    }),
  bookTries: (id: number) =>
    queryOptions({ queryKey: ['jobs', 'book tries', id], queryFn: () => books.tries(id) }),
  bookTrade: (run: number, number: number, part: number) =>
    queryOptions({
      queryKey: ['bars', 'book trade', run, number, part],
      queryFn: () => books.trade(run, number, part),
    }),
  bookSignals: (run: number, outcome: string, offset: number) =>
    queryOptions({
      queryKey: ['bars', 'book signals', run, outcome, offset],
      queryFn: () => books.signals(run, outcome, offset),
    }),
  studies: (rule: number) =>
    queryOptions({ queryKey: ['jobs', 'studies', rule], queryFn: () => api.studies(rule) }),
  tries: (rule: number, horizon: number) =>
    queryOptions({ queryKey: ['jobs', 'tries', rule, horizon], queryFn: () => api.tries(rule, horizon) }),
}

/** A query of this cache, for a component: `createQuery` over the one client. */
export const query = ((options: Parameters<typeof createQuery>[0]) =>
  createQuery(options, () => client)) as typeof createQuery

/** As `query`, going on showing the last answer until the next is there. */
export const keepPrevious = { placeholderData: keepPreviousData } as const

/** Makes void what was fetched about one thing or more; what is on show is asked anew. */
export async function forget(...about: string[]): Promise<void> {
  const all = about.map(async (first) => {
    // A first answer that is on its way may be of before: the cache would take it for the new one.
    await client.cancelQueries({
      queryKey: [first],
      predicate: (asked) => asked.state.data === undefined && asked.isActive(),
    })
    await client.invalidateQueries({ queryKey: [first] })
  })
  await Promise.all(all)
}
