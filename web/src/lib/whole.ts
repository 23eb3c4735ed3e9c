/** The market as a whole: breadths and precedents, as the server gives them. */
import { answer, client, type Schemas } from './api'

export type KeptBreadth = Schemas['KeptBreadth']
export type Look = Schemas['Look']
export type Breadth = Schemas['BreadthOut']
export type Passings = Schemas['PassingsOut']
export type Morning = Schemas['PrecedentsOut']
export type MorningResult = Schemas['MorningResult']
export type Panel = Schemas['PanelOut']

const one = (breadth_id: number) => ({ params: { path: { breadth_id } } })

export const breadths = {
  all: () => answer(client.GET('/api/breadths')),
  look: (body: Schemas['BreadthIn'], signal: AbortSignal) =>
    answer(client.POST('/api/breadths/look', { body, signal })),
  passings: (body: Schemas['BreadthIn'], signal: AbortSignal) =>
    answer(client.POST('/api/breadths/passings', { body, signal })),
  csv: (body: Schemas['BreadthIn']) =>
    answer(client.POST('/api/breadths/csv', { body, parseAs: 'blob' })) as Promise<unknown> as Promise<Blob>,
  keep: (body: Schemas['KeepBreadth']) => answer(client.POST('/api/breadths', { body })),
  change: (id: number, body: Schemas['ChangeBreadth']) =>
    answer(client.PATCH('/api/breadths/{breadth_id}', { ...one(id), body })),
  remove: (id: number) => answer(client.DELETE('/api/breadths/{breadth_id}', one(id))),
  restore: (id: number) => answer(client.POST('/api/breadths/{breadth_id}/restore', one(id))),
}

export const precedents = {
  look: (body: Schemas['PrecedentsIn'], signal: AbortSignal) =>
    answer(client.POST('/api/precedents', { body, signal })),
  session: (symbol: string, day: string) =>
    answer(client.GET('/api/precedents/session', { params: { query: { symbol, day } } })),
}
