/** Messages as the browser's own notifications: one a message whatever the tabs, none after signing out. */
import { deskApi } from './desk'
import { listenWhileHidden, watchKeeping } from './invalidation'
import { preferences } from './preferences.svelte'
import { go } from './router.svelte'
import { unseen } from './unseen'

const SHOWN = 4 // at once: more are said as a number

export const supported = () => typeof Notification !== 'undefined'
export const allowed = () => supported() && Notification.permission === 'granted'

/** Asks the browser, on a click. Resolves to whether it may. */
export async function askPermission(): Promise<boolean> {
  return supported() && (await Notification.requestPermission()) === 'granted'
}

/** Notifies of an account's messages until the returned function is called. */
export function notifyOfMessages(who: string): () => void {
  const key = `upperwick-notified-${who}`
  let over = false
  async function look(): Promise<void> {
    if (over || !preferences.now.notify || !allowed()) return
    const { messages } = await deskApi.outbox('')
    if (over) return
    const show = () => {
      const known = localStorage.getItem(key)
      const { fresh, seen } = unseen(messages, known === null ? null : Number(known))
      localStorage.setItem(key, String(seen))
      if (fresh.length > SHOWN)
        return notify(`${fresh.length} messages`, fresh.at(-1)!.subject, '/outbox', key)
      for (const row of fresh) notify(row.subject, '', `/outbox/${row.id}`, `${key}-${row.id}`)
    }
    // Of several tabs that hear of it at once, one shows it.
    if (navigator.locks) await navigator.locks.request(key, show)
    else show()
  }
  function notify(title: string, body: string, place: string, tag: string): void {
    const notification = new Notification(title, { body, tag, icon: '/wick.svg' })
    notification.onclick = () => {
      window.focus()
      if (!over) go(place)
      notification.close()
    }
  }
  listenWhileHidden(() => !over && (preferences.now.notify ?? false) && allowed())
  const quietly = () => void look().catch(() => undefined) // the outbox has them all the same
  quietly()
  const end = watchKeeping(quietly)
  return () => {
    over = true
    end()
  }
}
