/** One quiet line at the foot of the page, perhaps with something to undo. */
export interface Notice {
  text: string
  action?: { label: string; run: () => void }
}

export const notice = $state<{ now: Notice | null }>({ now: null })
let timer: ReturnType<typeof setTimeout> | undefined

export function tell(text: string, action?: Notice['action']): void {
  clearTimeout(timer)
  notice.now = { text, action }
  timer = setTimeout(() => (notice.now = null), action ? 12_000 : 4_000)
}

/** Does what the line at the foot offers. */
export function act(): void {
  const action = notice.now?.action
  hush() // first: it may have something to say itself
  action?.run()
}

export function hush(): void {
  clearTimeout(timer)
  notice.now = null
}
