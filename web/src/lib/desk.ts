/** What is watched and told: the desk, alerts, schedules and the outbox, as the server gives them; and finding anything. */
import { answer, client, type Schemas } from './api'

export type Desk = Schemas['DeskOut']
export type Alert = Schemas['AlertOut']
export type Schedule = Schemas['ScheduleOut']
export type MessageRow = Schemas['MessageRow']
export type BenchItem = Schemas['BenchItemOut']
export type Plan = Schemas['PlanOut']
export type PlanIn = Schemas['PlanIn']
export type Rail = Schemas['RailOut']
export type Position = Schemas['PositionOut']
export type FillIn = Schemas['FillIn']
export type Notice = Schemas['NoticeOut']
export type Stage = BenchItem['stage']
export const STAGES = ['shortlisted', 'planned', 'holding', 'closed'] as const
/** A universe, a list or stages of the bench as a choice says it. */
export const scopeName = (name: string) =>
  name.split(' or ').every((part) => (STAGES as readonly string[]).includes(part)) ? `bench: ${name}` : name
export type Found = Schemas['FoundOut']

const alert = (alert_id: number) => ({ params: { path: { alert_id } } })
const schedule = (schedule_id: number) => ({ params: { path: { schedule_id } } })
const message = (message_id: number) => ({ params: { path: { message_id } } })

export const deskApi = {
  desk: () => answer(client.GET('/api/desk')),
  watch: (rule_id: number, on: boolean) =>
    answer(client.PUT('/api/watched/{rule_id}', { params: { path: { rule_id } }, body: { on } })),
  alerts: (symbol?: string) =>
    answer(client.GET('/api/alerts', { params: { query: symbol ? { symbol } : {} } })),
  setAlert: (body: Partial<Schemas['AlertIn']> & Pick<Schemas['AlertIn'], 'kind'>) =>
    answer(client.POST('/api/alerts', { body: { scope: '', note: '', by: 'day', smooth: 1, ...body } })),
  arm: (id: number, armed: boolean) =>
    answer(client.PATCH('/api/alerts/{alert_id}', { ...alert(id), body: { armed } })),
  removeAlert: (id: number) => answer(client.DELETE('/api/alerts/{alert_id}', alert(id))),
  restoreAlert: (id: number) => answer(client.POST('/api/alerts/{alert_id}/restore', alert(id))),
  schedules: () => answer(client.GET('/api/schedules')),
  setSchedule: (body: Schemas['ScheduleIn']) => answer(client.POST('/api/schedules', { body })),
  changeSchedule: (id: number, body: Schemas['ScheduleIn']) =>
    answer(client.PUT('/api/schedules/{schedule_id}', { ...schedule(id), body })),
  removeSchedule: (id: number) => answer(client.DELETE('/api/schedules/{schedule_id}', schedule(id))),
  restoreSchedule: (id: number) => answer(client.POST('/api/schedules/{schedule_id}/restore', schedule(id))),
  outbox: (search: string, offset = 0) =>
    answer(client.GET('/api/outbox', { params: { query: { search, offset } } })),
  message: (id: number) => answer(client.GET('/api/outbox/{message_id}', message(id))),
  mark: (id: number, read: boolean) =>
    answer(client.PATCH('/api/outbox/{message_id}', { ...message(id), body: { read } })),
  readAll: () => answer(client.POST('/api/outbox/read')),
  removeMessage: (id: number) => answer(client.DELETE('/api/outbox/{message_id}', message(id))),
  restoreMessage: (id: number) => answer(client.POST('/api/outbox/{message_id}/restore', message(id))),
  calendar: () => answer(client.GET('/api/calendar')),
  endCalendar: () => answer(client.DELETE('/api/calendar')),
  find: (q: string, signal: AbortSignal) =>
    answer(client.GET('/api/find', { params: { query: { q } }, signal })),
}

const item = (item_id: number) => ({ params: { path: { item_id } } })

export const bench = {
  all: (as_of: string | null) =>
    answer(client.GET('/api/bench', { params: { query: as_of ? { as_of } : {} } })),
  put: (symbol: string, as_of: string | null, rule: Schemas['BenchRule'] | null) =>
    answer(client.POST('/api/bench', { body: { symbol, as_of, rule } })),
  state: (symbol: string, as_of: string | null) =>
    answer(
      client.GET('/api/bench/state/{symbol}', {
        params: { path: { symbol }, query: as_of ? { as_of } : {} },
      }),
    ),
  history: (id: number) => answer(client.GET('/api/bench/{item_id}/history', item(id))),
  move: (id: number, stage: Stage, as_of: string | null) =>
    answer(client.PATCH('/api/bench/{item_id}', { ...item(id), body: { stage, as_of } })),
  note: (id: number, text: string, as_of: string | null) =>
    answer(client.POST('/api/bench/{item_id}/notes', { ...item(id), body: { text, as_of } })),
  drop: (id: number) => answer(client.DELETE('/api/bench/{item_id}', item(id))),
  restore: (id: number) => answer(client.POST('/api/bench/{item_id}/restore', item(id))),
  plan: (id: number, body: Schemas['PlanTried'], signal?: AbortSignal) =>
    answer(client.POST('/api/bench/{item_id}/plan', { ...item(id), body, ...(signal ? { signal } : {}) })),
  position: (id: number, as_of: string | null) =>
    answer(
      client.GET('/api/bench/{item_id}/position', {
        params: { path: { item_id: id }, query: as_of ? { as_of } : {} },
      }),
    ),
  clock: (id: number, body: Schemas['ClockIn']) =>
    answer(client.PUT('/api/bench/{item_id}/clock', { ...item(id), body })),
  fill: (id: number, body: FillIn) =>
    answer(client.POST('/api/bench/{item_id}/fills', { ...item(id), body })),
  strike: (item_id: number, fill_id: number) =>
    answer(client.DELETE('/api/bench/{item_id}/fills/{fill_id}', { params: { path: { item_id, fill_id } } })),
  restoreFill: (item_id: number, fill_id: number) =>
    answer(
      client.POST('/api/bench/{item_id}/fills/{fill_id}/restore', { params: { path: { item_id, fill_id } } }),
    ),
  /** A broker's file: looked at, or taken. */
  importFills: (
    file: File,
    asked: { answers: unknown; take: boolean; shorts: boolean; skip_bad: boolean },
  ) => {
    const form = new FormData()
    form.append('file', file)
    form.append('answers', JSON.stringify(asked.answers))
    for (const name of ['take', 'shorts', 'skip_bad'] as const) form.append(name, String(asked[name]))
    return answer(
      client.POST('/api/bench/imports', { body: form as never, bodySerializer: (body) => body as never }),
    )
  },
  fillImports: () => answer(client.GET('/api/bench/imports')),
  undoFills: (import_id: number) =>
    answer(client.DELETE('/api/bench/imports/{import_id}', { params: { path: { import_id } } })),
  dismissNotice: (notice_id: number) =>
    answer(client.DELETE('/api/bench/notices/{notice_id}', { params: { path: { notice_id } } })),
  restoreNotice: (notice_id: number) =>
    answer(client.POST('/api/bench/notices/{notice_id}/restore', { params: { path: { notice_id } } })),
  keepPlan: (id: number, plan: PlanIn | null, as_of: string | null) =>
    answer(client.PUT('/api/bench/{item_id}/plan', { ...item(id), body: { plan, as_of } })),
}
