/** One way to do what changes something that is kept. */
import { sentence } from './api'
import { hush, tell } from './notice.svelte'
import { forget } from './queries'

/**
 * Does it, says why where it is refused, and has what it is about fetched anew. Resolves to whether it was done: at once,
 * or when what it changed is on show.
 *
 * What `work` says of it stands before anything on the page changes: the `Undo` that is on show is never that of the
 * deed before.
 */
export async function attempt(
  about: string[],
  work: () => Promise<unknown>,
  until: 'done' | 'shown' = 'done',
): Promise<boolean> {
  hush()
  let done = true
  try {
    await work()
  } catch (error) {
    done = false
    tell(sentence(error))
  }
  const fetched = forget(...about)
  if (until === 'shown') await fetched
  return done
}

/** Says what was done, with the way back. */
export function undoable(text: string, about: string[], back: () => Promise<unknown>): void {
  tell(text, { label: 'Undo', run: () => void attempt(about, back) })
}

/** For a form or a button: pressed again while the answer is on its way, it does nothing twice. */
export function once(work: () => Promise<unknown>): (event: globalThis.Event) => Promise<void> {
  let busy = false
  return async (event) => {
    if (event.type === 'submit') event.preventDefault()
    if (busy) return
    busy = true
    try {
      await work()
    } finally {
      busy = false
    }
  }
}
