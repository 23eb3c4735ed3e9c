/** What stands at the place Breadth and is not kept: it survives a reload. */
import type { Look } from '$lib/whole'

const PLACE = 'breadth'
export const USUAL: Look = { by: 'day', smooth: 1, beside: null, level: null, way: 'below' }

export interface Draft {
  id: number | null
  name: string
  text: string
  look: Look
  mark: string
}

export function draft(): Draft | null {
  try {
    return JSON.parse(sessionStorage.getItem(PLACE) ?? 'null') as Draft | null
  } catch {
    return null
  }
}

export function leave(now: Draft): void {
  sessionStorage.setItem(PLACE, JSON.stringify(now))
}
