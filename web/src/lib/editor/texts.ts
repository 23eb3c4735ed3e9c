/** What the market and the account have of each kind of text that stands in quotes in a rule. */
import { market } from '$lib/market.svelte'
import type { Texts } from './completion'

export function textsOf(rules: string[], breadths: { name: string }[] | undefined): Texts {
  return {
    rules,
    sectors: market.now?.sectors ?? [],
    kinds: market.now?.kinds ?? [],
    events: market.now?.events ?? [],
    breadths: (breadths ?? []).map((one) => one.name),
    universes: [...(market.now?.universes ?? []), ...market.lists.map((list) => list.name)],
  }
}
