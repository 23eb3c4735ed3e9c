/** Which messages no page of this browser has notified of yet. */
import type { MessageRow } from './desk'

/** What is worth a notification: not the mail of a schedule, which is read when there is time. */
const KINDS = new Set(['position', 'alert', 'paper', 'data'])

/** The messages that no page has shown yet, the oldest first; and up to which they are now. seen: null on a first look, which shows nothing. */
export function unseen(rows: MessageRow[], seen: number | null): { fresh: MessageRow[]; seen: number } {
  const latest = Math.max(seen ?? 0, 0, ...rows.map((row) => row.id))
  if (seen === null) return { fresh: [], seen: latest }
  const fresh = rows.filter((row) => row.id > seen && !row.read && KINDS.has(row.kind))
  return { fresh: fresh.sort((a, b) => a.id - b.id), seen: latest }
}
