/** The account's own choices: columns, chart, size. Kept on the server a moment after the last change. */
import { api, sentence, type Preferences } from './api'
import { forgetPendingSaves, saveLater } from './debounced-save'
import { USUAL_PREFERENCES } from './constants'
import { ask, client } from './queries'
import { tell } from './notice.svelte'

export const preferences = $state<{ now: Preferences }>({ now: USUAL_PREFERENCES as Preferences })

export async function loadPreferences(): Promise<void> {
  forgetPendingSaves() // what another account has chosen is not this one's
  preferences.now = await client.fetchQuery(ask.preferences())
}

export function choose(change: Partial<Preferences>): void {
  preferences.now = { ...preferences.now, ...change }
  saveLater('preferences', () =>
    api.keepPreferences($state.snapshot(preferences.now)).catch((error) => tell(sentence(error))),
  )
}
