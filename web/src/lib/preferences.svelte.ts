/** The account's own choices: columns, chart, size. Kept on the server a moment after the last change. */
import { api, sentence, type Preferences } from './api'
import { forgetKeeping, keeping } from './kept'
import { ask, client } from './queries'
import { tell } from './notice.svelte'

export const preferences = $state<{ now: Preferences }>({
  now: {
    account: {
      size: null,
      risk: 0.01,
      most: 0.25,
      of_day: 0.01,
      sector: 0.3,
      open_risk: 0.06,
      cost: 0.001,
      currency: '',
      decimals: '',
      dates: '28 Jun 2024',
      near: 0.5,
      deposits: [],
    },
    notify: false,
    table: null,
    tables: {},
    layout: { rule_width: null, table_share: null },
    chart: { frame: 'day', months: 6, sessions: 2, log: true, panes: [] },
  },
})

export async function loadPreferences(): Promise<void> {
  forgetKeeping() // what another account has chosen is not this one's
  preferences.now = await client.fetchQuery(ask.preferences())
}

export function choose(change: Partial<Preferences>): void {
  preferences.now = { ...preferences.now, ...change }
  keeping('preferences', () =>
    api.keepPreferences($state.snapshot(preferences.now)).catch((error) => tell(sentence(error))),
  )
}
