/** What is typed of a rule or a book and not saved: kept in the browser, with the mark of the text that it builds on.
 *
 * A window keeps its own through a reload; the browser keeps the one typed last for whoever opens it anew. */
export interface Draft {
  text: string
  /** null for one that an older version kept. */
  seen: string | null
}

const STORES = () => [sessionStorage, localStorage]
const place = (rule: string) => `upperwick-draft-${rule}`
let mine = ''

/** Keeps it; false where the browser has no room for it anywhere. */
export function keep(rule: string, draft: Draft): boolean {
  mine = JSON.stringify(draft)
  let kept = false
  for (const store of STORES()) {
    try {
      store.setItem(place(rule), mine)
      kept = true
    } catch {
      // Full, or forbidden: the other may have room.
    }
  }
  return kept
}

/** What is kept of it; null where nothing is. */
export function keptOf(rule: string): Draft | null {
  for (const store of STORES()) {
    const found = store.getItem(place(rule))
    if (found === null) continue
    try {
      const read = JSON.parse(found) as Draft
      if (typeof read.text === 'string') return read
    } catch {
      return { text: found, seen: null }
    }
  }
  return null
}

/** Everything is saved: what this window kept goes, and not what another has typed. */
export function drop(rule: string): void {
  sessionStorage.removeItem(place(rule))
  if (localStorage.getItem(place(rule)) === mine) localStorage.removeItem(place(rule))
}
