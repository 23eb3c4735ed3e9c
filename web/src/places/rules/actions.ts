/** Deeds on a rule that several views offer. */
import { api, sentence } from '$lib/api'
import { tell } from '$lib/notice.svelte'

/** Deletes a rule and offers to bring it back. */
export async function removeWithUndo(rule: { id: number; name: string }, after: () => void): Promise<void> {
  await api.remove(rule.id)
  tell(`“${rule.name}” is deleted.`, {
    label: 'Undo',
    run: () =>
      void api
        .restore(rule.id)
        .then(after)
        .catch((error) => tell(sentence(error))),
  })
}
