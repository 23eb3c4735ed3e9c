/** The account's own choices: columns, chart, size. Kept on the server a moment after the last change. */
import { api, sentence, type Preferences } from './api'
import { ask, client } from './queries'
import { tell } from './notice.svelte'

export const preferences = $state<{ now: Preferences }>({
  now: {
    account_size: null,
    table: null,
    tables: {},
    chart: { frame: 'day', months: 6, log: true, panes: [] },
  },
})

let timer: ReturnType<typeof setTimeout> | undefined

export async function loadPreferences(): Promise<void> {
  clearTimeout(timer) // what another account has chosen is not this one's
  preferences.now = await client.fetchQuery(ask.preferences())
}

export function choose(change: Partial<Preferences>): void {
  preferences.now = { ...preferences.now, ...change }
  clearTimeout(timer)
  // What the page says of itself: whether what was chosen is on the server yet.
  document.documentElement.dataset.choices = 'keeping'
  const mine = (timer = setTimeout(() => {
    api
      .keepPreferences($state.snapshot(preferences.now))
      .catch((error) => tell(sentence(error)))
      .finally(() => {
        if (timer === mine) document.documentElement.dataset.choices = 'kept'
      })
  }, 400))
}
