/** The one door to the server. Every failure becomes a `Problem` with a sentence to show. */
import createClient from 'openapi-fetch'
import type { components, paths } from './schema'

export type Schemas = components['schemas']
export type RuleSummary = Schemas['RuleSummary']
export type RuleDetail = Schemas['RuleDetail']
export type Scan = Schemas['ScanOut']
export type Line = Schemas['LineOut']
export type Hit = Schemas['HitOut']
export type RuleProblem = Schemas['ProblemOut']
export type Chart = Schemas['ChartOut']
export type Truth = Schemas['TruthOut']
export type Run = Schemas['RunOut']
export type AnyRun = Schemas['AnyRunOut']
export type PathPoint = Schemas['PathPointOut']
export type Study = Schemas['StudyOut']
export type Horizon = Schemas['HorizonOut']
export type Market = Schemas['MarketOut']
export type Version = Schemas['VersionOut']
export type Note = Schemas['NoteOut']
export type Entry = Schemas['EntryOut']
export type Preferences = Schemas['PreferencesDoc']
export type TableChoice = Schemas['TableChoice']
export type ChartChoice = Schemas['ChartChoice']
export type BenchList = Schemas['ListOut']
export type Since = Schemas['SinceOut']
export type Facts = Schemas['FactsOut']
export type Drawing = Schemas['DrawingOut']
export type DrawingIn = Schemas['DrawingIn']
export type Shown = Schemas['ColumnOut']['shown']
export type SharedRule = Schemas['SharedOut']
export type BookDetail = Schemas['BookDetail']
export type BookRun = Schemas['BookRunWhole']
export type BookResult = Schemas['BookResult']
export type BookTrade = Schemas['BookTrade']
export type DialRange = Schemas['DialRange']
export type DataThere = Schemas['ContentsOut']
export type DataFile = Schemas['FileOut']
export type FilesIn = Schemas['FilesIn']
export type DataJob = Schemas['DataJobOut']

export interface Others {
  text: string
  without: number[]
  scan: Scan
}

export class Problem extends Error {
  constructor(
    readonly status: number,
    detail: string,
    readonly errors: RuleProblem[] = [],
    /** The rule as it was saved elsewhere meanwhile, where that is why. */
    readonly theirs: RuleDetail | null = null,
    /** A rule with errors: its text without the lines to mend, those lines, and the counts of that text. */
    readonly others: Others | null = null,
  ) {
    super(detail)
  }
}

function cookie(name: string): string {
  const found = document.cookie.split('; ').find((part) => part.startsWith(`${name}=`))
  return found ? decodeURIComponent(found.slice(name.length + 1)) : ''
}

/** How somebody whose session has ended signs in again, over the page as it is; resolved once they have. */
let signInAgain: () => Promise<void> = () => Promise.reject(new Error('Sign in first.'))
export function onSignedOut(ask: () => Promise<void>): void {
  signInAgain = ask
}

const SESSION = '/api/session'
const sent = new Map<string, Request>()

function withToken(request: Request): Request {
  if (request.method !== 'GET') request.headers.set('X-CSRFToken', cookie('csrftoken'))
  return request
}

export const client = createClient<paths>({ baseUrl: '' })
client.use({
  onRequest({ request, id }) {
    withToken(request)
    sent.set(id, request.clone())
    return request
  },
  /** What only wants signing in, or its token anew, is asked once more when that is done: nothing that was typed or begun is lost. */
  async onResponse({ response, id }) {
    const asked = sent.get(id)
    sent.delete(id)
    let found = response
    for (let times = 0; asked && times < 3; times++) {
      if (found.status === 403 && (await found.clone().text()).includes('CSRF')) await fetch(SESSION)
      else if (found.status === 401 && !new URL(asked.url).pathname.startsWith(SESSION)) await signInAgain()
      else break
      found = await fetch(withToken(asked.clone()))
    }
    return found
  },
  onError({ id }) {
    sent.delete(id)
  },
})

export async function answer<T>(
  asked: Promise<{ data?: T; error?: unknown; response: Response }>,
): Promise<T> {
  let got
  try {
    got = await asked
  } catch (error) {
    if (error instanceof DOMException && error.name === 'AbortError') throw error
    throw new Problem(0, 'The server does not answer. Is it still running?')
  }
  if (got.response.ok) return got.data as T
  const body = (got.error ?? {}) as {
    detail?: string
    errors?: RuleProblem[]
    theirs?: RuleDetail
    others?: Others
  }
  throw new Problem(
    got.response.status,
    body.detail ?? `The server answered ${got.response.status}.`,
    body.errors,
    body.theirs,
    body.others,
  )
}

export interface Asked {
  text: string
  as_of: string | null
}

/** On which evening's scale, and one value a bar of which frame. */
export interface Drawn {
  as_of: string | null
  frame: ChartChoice['frame']
}

export const api = {
  session: () => answer(client.GET('/api/session')),
  signIn: (name: string, password: string) =>
    answer(client.POST('/api/session', { body: { name, password } })),
  signOut: () => answer(client.DELETE('/api/session')),
  signOutEverywhere: () => answer(client.DELETE('/api/session/everywhere')),
  changePassword: (now: string, then: string) =>
    answer(client.PUT('/api/session/password', { body: { now, then } })),
  people: () => answer(client.GET('/api/people')),
  addPerson: (body: Schemas['PersonIn']) => answer(client.POST('/api/people', { body })),
  givePassword: (name: string, password: string) =>
    answer(client.PUT('/api/people/{name}/password', { params: { path: { name } }, body: { password } })),
  removePerson: (name: string) => answer(client.DELETE('/api/people/{name}', { params: { path: { name } } })),
  market: () => answer(client.GET('/api/market')),
  catalogue: () => answer(client.GET('/api/catalogue')),
  rules: () => answer(client.GET('/api/rules')),
  rule: (id: number) => answer(client.GET('/api/rules/{number}', { params: { path: { number: id } } })),
  create: (text: string, name = '') => answer(client.POST('/api/rules', { body: { text, name } })),
  /** seen: the mark of the text that this one was written over. */
  save: (id: number, text: string, seen: string) =>
    answer(client.PUT('/api/rules/{number}', { params: { path: { number: id } }, body: { text, seen } })),
  keepTable: (id: number, table: TableChoice | null) =>
    answer(client.PUT('/api/rules/{number}/table', { params: { path: { number: id } }, body: { table } })),
  change: (id: number, body: Schemas['RuleChange']) =>
    answer(client.PATCH('/api/rules/{number}', { params: { path: { number: id } }, body })),
  remove: (id: number) => answer(client.DELETE('/api/rules/{number}', { params: { path: { number: id } } })),
  restore: (id: number) =>
    answer(client.POST('/api/rules/{number}/restore', { params: { path: { number: id } } })),
  duplicate: (id: number) =>
    answer(client.POST('/api/rules/{number}/duplicate', { params: { path: { number: id } } })),
  scan: (asked: Asked & { columns: string[] }, signal: AbortSignal) =>
    answer(client.POST('/api/scan', { body: { ...asked, dials: {} }, signal })),
  history: (asked: Asked, signal: AbortSignal) =>
    answer(client.POST('/api/history', { body: { ...asked, dials: {} }, signal })),
  since: (asked: Asked) => answer(client.POST('/api/since', { body: { ...asked, dials: {} } })),
  hitsAsParquet: (asked: Asked & { columns: string[]; symbols: string[] }) =>
    answer(
      client.POST('/api/hits.parquet', { body: asked, parseAs: 'blob' }),
    ) as Promise<unknown> as Promise<Blob>,
  value: (text: string, expression: string, symbol: string, as_of: string | null) =>
    answer(client.POST('/api/value', { body: { text, expression, symbol, as_of } })),
  chart: (
    asked: Asked & {
      symbol: string
      bars: number
      frame: ChartChoice['frame']
      panes: string[][]
      all_patterns: boolean
    },
    signal: AbortSignal,
  ) => answer(client.POST('/api/chart', { body: { ...asked, dials: {} }, signal })),
  facts: (symbol: string, as_of: string | null) =>
    answer(client.GET('/api/facts/{symbol}', { params: { path: { symbol }, query: { as_of } } })),
  drawings: (symbol: string, query: Drawn) =>
    answer(client.GET('/api/drawings/{symbol}', { params: { path: { symbol }, query } })),
  draw: (symbol: string, query: Drawn, body: DrawingIn) =>
    answer(client.POST('/api/drawings/{symbol}', { params: { path: { symbol }, query }, body })),
  redraw: (symbol: string, query: Drawn, drawing_id: number, body: DrawingIn) =>
    answer(
      client.PUT('/api/drawings/{symbol}/{drawing_id}', {
        params: { path: { symbol, drawing_id }, query },
        body,
      }),
    ),
  erase: (symbol: string, drawing_id: number) =>
    answer(
      client.DELETE('/api/drawings/{symbol}/{drawing_id}', { params: { path: { symbol, drawing_id } } }),
    ),
  restoreDrawing: (symbol: string, drawing_id: number) =>
    answer(
      client.POST('/api/drawings/{symbol}/{drawing_id}/restore', {
        params: { path: { symbol, drawing_id } },
      }),
    ),
  preferences: () => answer(client.GET('/api/preferences')),
  keepPreferences: (body: Preferences) => answer(client.PUT('/api/preferences', { body })),
  liquidity: (account: number, positions: number, percent: number) =>
    answer(client.GET('/api/preferences/liquidity', { params: { query: { account, positions, percent } } })),
  lists: () => answer(client.GET('/api/lists')),
  keepList: (name: string, symbols: string[]) =>
    answer(client.POST('/api/lists', { body: { name, symbols } })),
  removeList: (list_id: number) =>
    answer(client.DELETE('/api/lists/{list_id}', { params: { path: { list_id } } })),
  restoreList: (list_id: number) =>
    answer(client.POST('/api/lists/{list_id}/restore', { params: { path: { list_id } } })),
  share: (number: number) =>
    answer(client.POST('/api/rules/{number}/share', { params: { path: { number } } })),
  unshare: (number: number) =>
    answer(client.DELETE('/api/rules/{number}/share', { params: { path: { number } } })),
  shared: (token: string) => answer(client.GET('/api/rules/shared/{token}', { params: { path: { token } } })),
  copyShared: (token: string) =>
    answer(client.POST('/api/rules/shared/{token}/copy', { params: { path: { token } } })),
  rulesAsZip: () =>
    answer(client.GET('/api/rules/zip', { parseAs: 'blob' })) as Promise<unknown> as Promise<Blob>,
  bringRules: (files: Iterable<File>) => {
    const form = new FormData()
    for (const file of files) form.append('files', file)
    return answer(
      client.POST('/api/rules/files', { body: form as never, bodySerializer: (body) => body as never }),
    )
  },
  charts: (
    asked: Asked & { symbols: string[]; bars: number; frame: ChartChoice['frame'] },
    signal: AbortSignal,
  ) => answer(client.POST('/api/charts', { body: asked, signal })),
  versions: (id: number) =>
    answer(client.GET('/api/rules/{number}/versions', { params: { path: { number: id } } })),
  layOut: (text: string) => answer(client.POST('/api/language/format', { body: { text } })),
  mirror: (text: string) => answer(client.POST('/api/language/mirror', { body: { text } })),
  aloud: (text: string) => answer(client.POST('/api/language/aloud', { body: { text } })),
  phrase: (text: string, signal: AbortSignal) =>
    answer(client.POST('/api/language/phrase', { body: { text }, signal })),
  explain: (text: string, symbol: string, day: string) =>
    answer(client.POST('/api/explain', { body: { text, symbol, day, dials: {} } })),
  startStudy: (body: Schemas['StudyIn'], again = false) =>
    answer(client.POST('/api/studies', { body, params: { query: { again } } })),
  study: (id: number) => answer(client.GET('/api/studies/{run_id}', { params: { path: { run_id: id } } })),
  studies: (rule_id: number) => answer(client.GET('/api/studies', { params: { query: { rule_id } } })),
  studyAgain: (run_id: number) =>
    answer(client.POST('/api/studies/{run_id}/again', { params: { path: { run_id } } })),
  stopStudy: (id: number) =>
    answer(client.DELETE('/api/studies/{run_id}', { params: { path: { run_id: id } } })),
  startParts: (run_id: number, horizon: number) =>
    answer(client.POST('/api/studies/{run_id}/parts', { params: { path: { run_id }, query: { horizon } } })),
  parts: (run_id: number) =>
    answer(client.GET('/api/studies/parts/{run_id}', { params: { path: { run_id } } })),
  startComparison: (body: Schemas['CompareIn']) => answer(client.POST('/api/studies/compare', { body })),
  comparison: (run_id: number) =>
    answer(client.GET('/api/studies/compare/{run_id}', { params: { path: { run_id } } })),
  startSweep: (body: Schemas['SweepIn']) => answer(client.POST('/api/studies/sweep', { body })),
  sweep: (run_id: number) =>
    answer(client.GET('/api/studies/sweep/{run_id}', { params: { path: { run_id } } })),
  trade: (run_id: number, symbol: string, day: string, horizon: number) =>
    answer(
      client.GET('/api/studies/{run_id}/trade', {
        params: { path: { run_id }, query: { symbol, day, horizon } },
      }),
    ),
  tries: (rule_id: number, horizon: number) =>
    answer(client.GET('/api/studies/tries', { params: { query: { rule_id, horizon } } })),
  seal: (rule_id: number) =>
    answer(client.GET('/api/studies/seal/{rule_id}', { params: { path: { rule_id } } })),
  breakSeal: (rule_id: number) =>
    answer(client.POST('/api/studies/seal/{rule_id}', { params: { path: { rule_id } } })),
}

const book = (number: number) => ({ params: { path: { number } } })
const run = (run_id: number) => ({ params: { path: { run_id } } })

export const books = {
  all: () => answer(client.GET('/api/books')),
  one: (id: number) => answer(client.GET('/api/books/{number}', book(id))),
  create: (text: string, name = '') => answer(client.POST('/api/books', { body: { text, name } })),
  fromRule: (rule_id: number) =>
    answer(client.POST('/api/books/from-rule/{rule_id}', { params: { path: { rule_id } } })),
  save: (id: number, text: string, seen: string) =>
    answer(client.PUT('/api/books/{number}', { ...book(id), body: { text, seen } })),
  rename: (id: number, name: string) =>
    answer(client.PATCH('/api/books/{number}', { ...book(id), body: { name } })),
  remove: (id: number) => answer(client.DELETE('/api/books/{number}', book(id))),
  restore: (id: number) => answer(client.POST('/api/books/{number}/restore', book(id))),
  duplicate: (id: number) => answer(client.POST('/api/books/{number}/duplicate', book(id))),
  versions: (id: number) => answer(client.GET('/api/books/{number}/versions', book(id))),
  names: () => answer(client.GET('/api/books/names')),
  sizes: () => answer(client.GET('/api/books/sizes')),
  check: (text: string, signal: AbortSignal) =>
    answer(client.POST('/api/books/check', { body: { text, dials: {} }, signal })),
  layOut: (text: string) => answer(client.POST('/api/books/format', { body: { text } })),
  mirror: (text: string) => answer(client.POST('/api/books/mirror', { body: { text } })),
  aloud: (text: string) => answer(client.POST('/api/books/aloud', { body: { text } })),
  today: (body: Schemas['TodayIn']) => answer(client.POST('/api/books/today', { body })),
  start: (body: Schemas['BookRunIn'], again = false) =>
    answer(client.POST('/api/books/runs', { body, params: { query: { again } } })),
  run: (id: number) => answer(client.GET('/api/books/runs/{run_id}', run(id))),
  compare: (first: number, second: number) =>
    answer(client.GET('/api/books/compare', { params: { query: { first, second } } })),
  runs: (book_id: number) => answer(client.GET('/api/books/runs', { params: { query: { book_id } } })),
  stop: (id: number) => answer(client.DELETE('/api/books/runs/{run_id}', run(id))),
  again: (id: number) => answer(client.POST('/api/books/runs/{run_id}/again', run(id))),
  startLuck: (id: number, picks: number) =>
    answer(client.POST('/api/books/runs/{run_id}/luck', { ...run(id), body: { picks } })),
  luck: (id: number) => answer(client.GET('/api/books/asked/luck/{run_id}', run(id))),
  startWhatIf: (id: number) => answer(client.POST('/api/books/runs/{run_id}/what-if', run(id))),
  whatIf: (id: number) => answer(client.GET('/api/books/asked/what-if/{run_id}', run(id))),
  startSweep: (id: number, dials: DialRange[]) =>
    answer(client.POST('/api/books/runs/{run_id}/sweep', { ...run(id), body: { dials } })),
  sweep: (id: number) => answer(client.GET('/api/books/asked/sweep/{run_id}', run(id))),
  startWalk: (id: number, body: Schemas['WalkAsked']) =>
    answer(client.POST('/api/books/runs/{run_id}/walk', { ...run(id), body })),
  walk: (id: number) => answer(client.GET('/api/books/asked/walk/{run_id}', run(id))),
  trade: (id: number, number: number, part: number) =>
    answer(
      client.GET('/api/books/runs/{run_id}/trade', {
        params: { path: { run_id: id }, query: { number, part } },
      }),
    ),
  signals: (id: number, outcome: string, offset: number, limit = 200) =>
    answer(
      client.GET('/api/books/runs/{run_id}/signals', {
        params: { path: { run_id: id }, query: { outcome, offset, limit } },
      }),
    ),
  seal: (id: number) => answer(client.GET('/api/books/{number}/seal', book(id))),
  breakSeal: (id: number) => answer(client.POST('/api/books/{number}/seal', book(id))),
  tries: (id: number) => answer(client.GET('/api/books/{number}/tries', book(id))),
}

const job = (job_id: number) => ({ params: { path: { job_id } } })

export const data = {
  there: () => answer(client.GET('/api/data')),
  feed: () => answer(client.GET('/api/data/feed')),
  settle: (body: Schemas['SettleIn']) => answer(client.POST('/api/data/findings', { body })),
  openAgain: (body: Schemas['FindingIn']) => answer(client.POST('/api/data/findings/again', { body })),
  go: (body: Schemas['GoIn']) => answer(client.POST('/api/data/feed', { body })),
  choose: (body: Schemas['MarketChoice']) => answer(client.PUT('/api/data/choices', { body })),
  upload: (files: Iterable<File>) => {
    const form = new FormData()
    for (const file of files) form.append('files', file)
    return answer(
      client.POST('/api/data/uploads', { body: form as never, bodySerializer: (body) => body as never }),
    )
  },
  forget: (upload: string) =>
    answer(client.DELETE('/api/data/uploads/{upload}', { params: { path: { upload } } })),
  look: (body: FilesIn) => answer(client.POST('/api/data/look', { body })),
  take: (body: FilesIn) => answer(client.POST('/api/data/import', { body })),
  undo: (import_id: number) =>
    answer(client.POST('/api/data/imports/{import_id}/undo', { params: { path: { import_id } } })),
  openAsked: () => answer(client.POST('/api/data/asked')),
  discardAsked: () => answer(client.DELETE('/api/data/asked')),
  dismissIssue: (issue_id: number) =>
    answer(client.DELETE('/api/data/issues/{issue_id}', { params: { path: { issue_id } } })),
  restoreIssue: (issue_id: number) =>
    answer(client.POST('/api/data/issues/{issue_id}/restore', { params: { path: { issue_id } } })),
  vendors: () => answer(client.GET('/api/data/vendors')),
  bringVendors: (body: Record<string, unknown>[]) => answer(client.POST('/api/data/vendors', { body })),
  changeVendor: (vendor_id: number, body: Schemas['VendorIn']) =>
    answer(client.PATCH('/api/data/vendors/{vendor_id}', { params: { path: { vendor_id } }, body })),
  deleteVendor: (vendor_id: number) =>
    answer(client.DELETE('/api/data/vendors/{vendor_id}', { params: { path: { vendor_id } } })),
  writeOut: (text: boolean) => answer(client.POST('/api/data/export', { body: { text } })),
  job: (id: number) => answer(client.GET('/api/data/jobs/{job_id}', job(id))),
  stop: (id: number) => answer(client.POST('/api/data/jobs/{job_id}/stop', job(id))),
}

/** The sentence of any failure. */
export function sentence(error: unknown): string {
  return error instanceof Error ? error.message : String(error)
}
