/** Setting and deleting alerts, wherever that is offered. */
import { attempt, undoable } from './mutation'
import { keeping, type Alert } from './keeping'
import { tell } from './notice.svelte'
import { go } from './router.svelte'

/** Sets it, and says what it waits for, or why it cannot be set. `done`: what else is to happen once it is. */
export function setAlert(asked: Parameters<typeof keeping.setAlert>[0], done?: () => void): Promise<boolean> {
  return attempt(['keeping'], async () => {
    const { words } = await keeping.setAlert(asked)
    done?.()
    tell(`You are told when ${words}.`, { label: 'All alerts', run: () => go('/outbox/alerts') })
  })
}

export function removeAlert(one: Alert): Promise<boolean> {
  return attempt(['keeping'], async () => {
    await keeping.removeAlert(one.id)
    undoable(`“${one.words}” is deleted.`, ['keeping'], () => keeping.restoreAlert(one.id))
  })
}
