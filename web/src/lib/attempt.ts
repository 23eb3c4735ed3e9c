/** One way to do what changes something that is kept. */
import { sentence } from './api'
import { hush, tell } from './notice.svelte'
import { forget } from './queries'

/**
 * Does it, says why where it is refused, and has what it is about fetched anew. Whether it was done.
 *
 * What `work` says of it stands before anything on the page changes: the `Undo` that is on show is never that of the
 * deed before.
 */
export async function attempt(about: string[], work: () => Promise<unknown>): Promise<boolean> {
  hush()
  let done = true
  try {
    await work()
  } catch (error) {
    done = false
    tell(sentence(error))
  }
  await forget(...about)
  return done
}

/** Says what was done, with the way back. */
export function undoable(text: string, about: string[], back: () => Promise<unknown>): void {
  tell(text, { label: 'Undo', run: () => void attempt(about, back) })
}
