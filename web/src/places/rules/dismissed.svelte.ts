/** Names put aside for one rule on one evening; they come back with the next. */
import { SvelteSet } from 'svelte/reactivity'

const sets: Record<string, SvelteSet<string>> = {}

function key(rule: number, day: string | null): string {
  return `upperwick-dismissed-${rule}-${day ?? ''}`
}

export function dismissed(rule: number, day: string | null): SvelteSet<string> {
  const name = key(rule, day)
  return (sets[name] ??= new SvelteSet<string>(JSON.parse(localStorage.getItem(name) ?? '[]') as string[]))
}

export function setDismissed(rule: number, day: string | null, symbol: string, away: boolean): void {
  const set = dismissed(rule, day)
  if (away) set.add(symbol)
  else set.delete(symbol)
  localStorage.setItem(key(rule, day), JSON.stringify([...set]))
}
