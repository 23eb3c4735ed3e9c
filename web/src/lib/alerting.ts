/** Setting and deleting alerts, wherever that is offered. */
import { attempt, undoable } from './mutation'
import { deskApi, type Alert } from './desk'
import { tell } from './notice.svelte'
import { go } from './router.svelte'

/** Sets it, and says what it waits for, or why it cannot be set. `done`: what else is to happen once it is. */
export function setAlert(asked: Parameters<typeof deskApi.setAlert>[0], done?: () => void): Promise<boolean> {
  return attempt(['alerts'], async () => {
    const { words } = await deskApi.setAlert(asked)
    done?.()
    tell(`You are told when ${words}.`, { label: 'All alerts', run: () => go('/outbox/alerts') })
  })
}

export function removeAlert(one: Alert): Promise<boolean> {
  return attempt(['alerts'], async () => {
    await deskApi.removeAlert(one.id)
    undoable(`“${one.words}” is deleted.`, ['alerts'], () => deskApi.restoreAlert(one.id))
  })
}
