/** Deeds on a rule that several views offer. */
import { api, sentence } from '$lib/api'
import { tell } from '$lib/notice.svelte'
import { ask, client } from '$lib/queries'

/** Deletes a rule and offers to bring it back. */
export async function removeWithUndo(rule: { id: number; name: string }, after: () => void): Promise<void> {
  await api.remove(rule.id)
  tell(`“${rule.name}” is deleted.${await resting(rule.id)}`, {
    label: 'Undo',
    run: () =>
      void api
        .restore(rule.id)
        .then(after)
        .catch((error) => tell(sentence(error))),
  })
}

/** What hung on a rule that is deleted, in a sentence; nothing where nothing did, or that cannot be asked. */
async function resting(rule: number): Promise<string> {
  const [alerts, schedules] = await Promise.all([
    client.fetchQuery(ask.alerts()).catch(() => []),
    client.fetchQuery(ask.schedules()).catch(() => []),
  ])
  const counted = (many: number, one: string) => (many ? [`${many} ${one}${many === 1 ? '' : 's'}`] : [])
  const of = [
    ...counted(alerts.filter((alert) => alert.rule === rule && alert.armed).length, 'alert'),
    ...counted(schedules.filter((schedule) => schedule.rule === rule && schedule.on).length, 'schedule'),
  ]
  return of.length ? ` What looks at it rests until it is brought back: ${of.join(' and ')}.` : ''
}
