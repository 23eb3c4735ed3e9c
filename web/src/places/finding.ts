/** What the one box offers besides what the server finds: commands in words, and what was opened last. */
import type { Schemas } from '$lib/api'

export interface Item {
  kind: string
  name: string
  more: string
  place: string
  /** An alert that is set instead of a place that is opened. */
  act?: Pick<Schemas['AlertIn'], 'kind'> & Partial<Schemas['AlertIn']>
}

const TELL =
  /^tell me (?:when|if) ([A-Za-z0-9.]{1,12}) (trades at|meets|is at|rises to|rises over|goes over|is over|falls to|falls under|goes under|is under) (\d+(?:\.\d+)?)$/i
const UP = /^(rises|goes over|is over)/i
const DOWN = /^(falls|goes under|is under)/i

/** What a sentence asks for; nothing where it is none. */
export function acts(said: string): Item[] {
  const found = TELL.exec(said.trim())
  if (!found) return []
  const [symbol, how, level] = [found[1]!.toUpperCase(), found[2]!, Number(found[3])]
  const way = UP.test(how) ? 'up' : DOWN.test(how) ? 'down' : 'either'
  return [
    {
      kind: 'command',
      name: 'Alert',
      more: `when ${symbol} ${{ up: 'rises to', down: 'falls to', either: 'meets' }[way]} ${level}`,
      place: '',
      act: { kind: 'price', symbol, level, way },
    },
  ]
}

/** Whether typed letters stand in a name in their order. */
export function near(typed: string, name: string): boolean {
  let at = 0
  const said = name.toLowerCase()
  for (const letter of typed.toLowerCase().replace(/\s/g, '')) {
    at = said.indexOf(letter, at)
    if (at++ < 0) return false
  }
  return true
}

const PLACE = 'found lately'
const MOST = 8

export function recent(): Item[] {
  try {
    return JSON.parse(localStorage.getItem(PLACE) ?? '[]') as Item[]
  } catch {
    return []
  }
}

export function remember(item: Item): void {
  if (item.kind === 'place') return
  const others = recent().filter((one) => one.place !== item.place || one.name !== item.name)
  localStorage.setItem(PLACE, JSON.stringify([item, ...others].slice(0, MOST)))
}
