/** What is chosen goes to the server a moment after the last change; the page says of itself whether it is there yet. */
const AFTER = 400
const waiting = new Map<string, ReturnType<typeof setTimeout>>()
let busy = 0

function say(): void {
  document.documentElement.dataset.choices = waiting.size || busy ? 'alerts' : 'kept'
}

/** Keeps one kind of choice by an act of its own; a later change of that kind takes the place of one still waiting. */
export function saveLater(kind: string, act: () => Promise<unknown>): void {
  clearTimeout(waiting.get(kind))
  waiting.set(
    kind,
    setTimeout(() => {
      waiting.delete(kind)
      busy++
      void act().finally(() => {
        busy--
        say()
      })
    }, AFTER),
  )
  say()
}

/** What still waits is not to be kept: another account is here. */
export function forgetPendingSaves(): void {
  for (const timer of waiting.values()) clearTimeout(timer)
  waiting.clear()
}
