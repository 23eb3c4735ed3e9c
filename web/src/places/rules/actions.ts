/** Deeds on a rule that several views offer. */
import { api } from '$lib/api'
import { attempt, undoable } from '$lib/mutation'
import { ask, client } from '$lib/queries'

interface After {
  gone?: () => void
  back?: () => void
}

/** Deletes a rule and offers to bring it back. */
export function removeWithUndo(
  rule: { id: number; name: string },
  { gone, back }: After = {},
): Promise<boolean> {
  return attempt(['rules'], async () => {
    const hung = await resting(rule.id)
    await api.remove(rule.id)
    undoable(`“${rule.name}” is deleted.${hung}`, ['rules'], () => api.restore(rule.id).then(back))
    gone?.()
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
