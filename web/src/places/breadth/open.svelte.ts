/** The breadth that is open: kept by name, always there, or typed in place. What is not kept survives a reload. */
import { Problem, sentence, type RuleProblem } from '$lib/api'
import { attempt, undoable } from '$lib/mutation'
import { market } from '$lib/market.svelte'
import { forget } from '$lib/queries'
import { tell } from '$lib/notice.svelte'
import { go } from '$lib/router.svelte'
import { breadths, type KeptBreadth, type Look } from '$lib/whole'
import { draft, leave, USUAL, type Draft } from '$lib/breadth-draft'
import { inShort, join, offsetOf, split, type BreadthText, type Key } from './head'

export class OpenBreadth {
  /** The kept breadth that is open; null for one that is always there, or of no name yet. */
  id = $state<number | null>(null)
  name = $state('')
  head = $state<BreadthText['head']>({})
  body = $state('')
  look = $state<Look>({ ...USUAL })
  mark = $state('')
  #begun = $state(false)
  /** As it was opened. */
  #was = $state('')
  readonly text = $derived(join({ head: this.head, body: this.body }))
  readonly offset = $derived(offsetOf(this.head))
  readonly #now = $derived(JSON.stringify([this.text, this.look]))
  readonly dirty = $derived(this.#now !== this.#was)
  readonly title = $derived(this.name || inShort(this.body) || 'A new breadth')

  get #draft(): Draft {
    return {
      id: this.id,
      name: this.name,
      text: this.text,
      look: $state.snapshot(this.look),
      mark: this.mark,
    }
  }

  constructor() {
    $effect(() => {
      if (!this.#begun) return
      leave(this.#draft)
    })
  }

  /** Opens what stood here last, where that is the one asked for; else the one asked for. */
  begin(kept: KeptBreadth[], id: number | null): boolean {
    const left = draft()
    if (left && left.id === id && (id === null || kept.some((one) => one.id === id))) {
      this.#put(left)
      const saved = kept.find((one) =>
        id === null ? one.id === null && one.name === left.name : one.id === id,
      )
      if (saved) this.#was = JSON.stringify([join(split(saved.text)), this.#lookOf(saved)])
      return true
    }
    const found =
      id === null
        ? (kept.find((one) => one.id === null && one.name.startsWith('Within')) ?? kept[0])
        : kept.find((one) => one.id === id)
    if (found) this.open(found)
    return found !== undefined
  }

  open(kept: KeptBreadth): void {
    const ready = kept.id === null
    const text = split(kept.text)
    // One that is always there counts all shares; here it begins with the first index of the market.
    if (ready && !text.head.universe) text.head.universe = this.head.universe ?? usualUniverse()
    this.#put({ id: kept.id, name: kept.name, text: join(text), look: this.#lookOf(kept), mark: kept.mark })
  }

  #lookOf(kept: KeptBreadth): Look {
    const by = /^bars:\s*week/m.test(kept.text) ? 'week' : 'day'
    return { ...USUAL, by, beside: this.look.beside ?? null, ...(kept.look as Partial<Look>) }
  }

  #put(draft: Draft): void {
    const text = split(draft.text)
    this.#begun = true
    this.id = draft.id
    this.name = draft.name
    this.head = text.head
    this.body = text.body
    this.look = { ...draft.look }
    this.mark = draft.mark
    this.#was = JSON.stringify([join(text), draft.look])
    leave(draft)
  }

  fresh(): void {
    const universe = this.head.universe ?? usualUniverse()
    this.#put({
      id: null,
      name: '',
      text: join({ head: universe ? { universe } : {}, body: 'close > sma(50)' }),
      look: { ...USUAL, beside: this.look.beside ?? null },
      mark: '',
    })
    go('/breadth')
  }

  set(key: Key, value: string): void {
    const head = { ...this.head }
    if (value) head[key] = value
    else delete head[key]
    this.head = head
  }

  see(change: Partial<Look>): void {
    this.look = { ...this.look, ...change }
  }

  async save(): Promise<void> {
    if (this.id === null) return
    await attempt(['breadths'], async () => {
      const kept = await breadths.change(this.id!, { text: this.text, look: this.look, seen: this.mark })
      this.mark = kept.mark
      this.#was = this.#now
      tell(`“${kept.name}” is kept as it is now.`)
    })
  }

  async saveAs(name: string): Promise<boolean> {
    return attempt(['breadths'], async () => {
      const kept = await breadths.keep({ name, text: this.text, look: this.look })
      this.id = kept.id
      this.name = kept.name
      this.mark = kept.mark
      this.#was = this.#now
      await forget('breadths') // the place it is gone to looks for it there
      leave(this.#draft)
      go(`/breadth/${kept.id}`)
    })
  }

  async rename(name: string): Promise<boolean> {
    return attempt(['breadths'], async () => {
      this.name = (await breadths.change(this.id!, { name })).name
    })
  }

  async remove(kept: KeptBreadth): Promise<void> {
    await attempt(['breadths'], async () => {
      await breadths.remove(kept.id!)
      if (kept.id === this.id) {
        this.id = null
        go('/breadth')
      }
      const named = kept.named_by.length
        ? ` ${kept.named_by.map((n) => `“${n}”`).join(', ')} name${kept.named_by.length === 1 ? 's' : ''} it and cannot count without it.`
        : ''
      undoable(`“${kept.name}” is deleted.${named}`, ['breadths'], () => breadths.restore(kept.id!))
    })
  }
}

export function usualUniverse(): string {
  const all = market.now?.universes ?? []
  const size = (name: string) => Number(/\d+/.exec(name)?.[0] ?? 0)
  return [...all].sort((a, b) => size(b) - size(a))[0] ?? ''
}

/** What is wrong with a text, by line, and the sentence of any other failure. */
export function wrong(error: unknown): { errors: RuleProblem[]; trouble: string } {
  if (!error) return { errors: [], trouble: '' }
  const errors = error instanceof Problem ? error.errors : []
  return { errors, trouble: errors.length ? '' : sentence(error) }
}
