/** Keeping lists, wherever that is offered. */
import { api } from './api'
import { attempt, undoable } from './mutation'
import { whole } from './format'

const ABOUT = ['lists', 'bars']

/** Keeps symbols under a name; what a list of that name held before can be had back. `done`: what else is to happen then. */
export function keepList(name: string, symbols: string[], done: () => void): Promise<boolean> {
  return attempt(ABOUT, async () => {
    const kept = await api.keepList(name, symbols)
    const before = kept.replaced // from the server: what is fetched here may be older than the list
    done()
    const holds = `“${kept.name}” holds ${whole(kept.symbols.length)} symbols`
    if (before)
      undoable(`${holds}, in place of the ${whole(before.length)} before.`, ABOUT, () =>
        api.keepList(kept.name, before),
      )
    else undoable(`${holds} and can be chosen as a universe.`, ABOUT, () => api.removeList(kept.id))
  })
}
