/** A text that is open, a rule or a book: as it is typed, and what is saved of it. */
import { untrack } from 'svelte'
import { Problem, sentence } from '$lib/api'
import { client, forget, query } from '$lib/queries'
import { go } from '$lib/router.svelte'
import { drop, keep, keptOf } from './draft'
import { tell } from '$lib/notice.svelte'

/** What the server keeps of any text. */
export interface Saved {
  id: number
  name: string
  text: string
  mark: string
  version: number
  saved: string
}

/** How one kind of text is kept, and how it is divided into controls and lines. H: the names of its header lines. */
export interface Kind<D extends Saved, H extends string> {
  /** As it is called in a sentence. */
  what: 'rule' | 'book'
  /** Where a text of this kind is opened, and what the list of them is called among the queries. */
  address: string
  list: string
  one: (id: number) => { queryKey: readonly unknown[] }
  save: (id: number, text: string, seen: string) => Promise<D>
  create: (text: string, name: string) => Promise<D>
  rename: (id: number, name: string) => Promise<D>
  split: (text: string) => { headers: Partial<Record<H, string>>; body: string }
  join: (headers: Partial<Record<H, string>>, body: string) => string
  lifted: (body: string, cursor: number) => { headers: Partial<Record<H, string>>; body: string } | null
  offsetOf: (headers: Partial<Record<H, string>>) => number
}

export class OpenText<D extends Saved, H extends string> {
  saved = $state.raw<D | null>(null)
  failed = $state('')
  headers = $state<Partial<Record<H, string>>>({})
  body = $state('')
  readonly text = $derived.by(() => this.kind.join(this.headers, this.body))
  readonly dirty = $derived(this.saved !== null && this.text !== this.saved.text)
  /** The text as it was saved in another window or on another device, while something else stood here unsaved. */
  theirs = $state.raw<D | null>(null)
  /** Whether what is not saved is safe in this browser. */
  kept = $state(true)
  #saving = $state(0)
  #turn: Promise<void> = Promise.resolve()
  get #place(): string {
    return this.kind.what === 'rule' ? `${this.id}` : `${this.kind.what}-${this.id}`
  }
  /** The mark of the text that what stands here builds on. */
  #seen = ''
  readonly #kept: {
    readonly data: D | undefined
    readonly error: Error | null
    readonly isFetching: boolean
  }
  /** A head that was put back into the editor, and stays there as it is. */
  #putBack = ''

  /** To be made where a component begins: what is typed and not saved is kept in the browser. */
  constructor(
    readonly id: number,
    readonly kind: Kind<D, H>,
  ) {
    this.#kept = query(() => kind.one(id) as never) as never
    $effect(() => {
      const { data, error, isFetching } = this.#kept
      // It begins with the rule as it is now, not as it was when it was open last.
      if (this.#saving || (isFetching && !untrack(() => this.saved))) return
      untrack(() => this.#heard(data, error))
    })
    $effect(() => {
      if (!this.saved) return
      if (this.dirty) this.kept = keep(this.#place, { text: this.text, seen: this.#seen })
      else drop(this.#place)
    })
  }

  /** What the server has of it: at first, and whenever it was saved anywhere. */
  #heard(found: D | undefined, error: Error | null): void {
    if (!found) {
      if (error && !this.saved) this.failed = sentence(error)
      return
    }
    if (!this.saved) return this.#begin(found)
    if (found.saved < this.saved.saved) return // asked before what was saved here last
    if (found.mark === this.saved.mark) {
      this.saved = { ...this.saved, ...found, text: this.saved.text }
      return
    }
    if (this.dirty && found.text !== this.text) this.theirs = found
    else {
      const { version } = this.saved
      this.take(found)
      if (found.version !== version)
        tell(`Version ${found.version} was saved elsewhere, and is what you see.`)
    }
  }

  #begin(found: D): void {
    this.failed = ''
    const draft = keptOf(this.#place)
    this.take(found)
    if (draft === null || draft.text === this.saved?.text) return
    this.#write(draft.text)
    // Saved elsewhere since it was written: as with two windows, both are offered.
    if (draft.seen !== null && draft.seen !== found.mark) {
      this.theirs = found
      this.#seen = draft.seen
    } else tell('Unsaved changes from before are kept.', { label: 'Drop them', run: this.revert })
  }

  #write(text: string): void {
    const parts = this.kind.split(text)
    this.headers = parts.headers
    this.body = parts.body
  }

  #saved(found: D): void {
    this.theirs = null
    this.#seen = found.mark
    client.setQueryData(this.kind.one(this.id).queryKey, found)
    const parts = this.kind.split(found.text)
    // What is compared with the editor is the text as the editor would write it.
    this.saved = { ...found, text: this.kind.join(parts.headers, parts.body) }
  }

  /** The text as the server has it, in place of what was typed. */
  take = (found: D): void => {
    this.#saved(found)
    this.#write(found.text)
  }

  /** One after the other: a save on the heels of a new name builds on that. */
  #inTurn(act: () => Promise<void>): Promise<void> {
    this.#saving++
    const done = this.#turn.then(act).finally(() => this.#saving--)
    this.#turn = done.catch(() => undefined)
    return done
  }

  /** Where it was saved elsewhere meanwhile nothing is written over that by habit: it is asked which text stays. */
  save = (): Promise<void> => this.#inTurn(() => this.#save())

  /** What is written here over the text saved elsewhere, knowingly. */
  saveOver = (): Promise<void> => this.#inTurn(() => this.#save(this.theirs?.mark))

  async #save(over?: string): Promise<void> {
    if (!this.saved) return
    if (this.theirs && over !== this.theirs.mark)
      return tell(
        `This ${this.kind.what} was saved elsewhere meanwhile; choose above the lines which text stays.`,
      )
    const sent = this.text
    try {
      const found = await this.kind.save(this.id, sent, over ?? this.#seen)
      const { version } = this.saved
      // What was typed while the answer was on its way stays, and is not saved yet.
      if (this.text === sent) this.take(found)
      else this.#saved(found)
      forget(this.kind.list)
      tell(found.version === version ? 'Saved.' : `Saved as version ${found.version}.`)
    } catch (error) {
      if (error instanceof Problem && error.theirs) this.theirs = error.theirs as unknown as D as unknown as D
      else tell(sentence(error))
    }
  }

  /** The text saved elsewhere in place of the one here, which can be had back. */
  takeTheirs = (): void => {
    if (!this.theirs) return
    const mine = this.text
    this.take(this.theirs)
    tell(`Version ${this.saved!.version} is what you see.`, {
      label: 'Back to what I wrote',
      run: () => this.#write(mine),
    })
  }

  /** What is written here as one of its own, and here the text saved elsewhere. */
  keepBoth = async (): Promise<void> => {
    if (!this.theirs || !this.saved) return
    try {
      const name = `${this.saved.name.slice(0, 100)}, as I wrote it`
      const parts = this.kind.split(this.text)
      const text = this.kind.join({ ...parts.headers, name } as Partial<Record<H, string>>, parts.body)
      const made = await this.kind.create(text, name)
      this.take(this.theirs)
      forget(this.kind.list)
      tell(`What you wrote is kept as “${made.name}”.`, {
        label: 'Open it',
        run: () => go(`${this.kind.address}/${made.id}`),
      })
    } catch (error) {
      tell(sentence(error))
    }
  }

  /** What stands in the editor now, and the line of its cursor: a head written or pasted there moves into the controls. */
  type = (body: string, cursor: number): void => {
    const found = this.kind.lifted(body, cursor)
    const head = JSON.stringify(found?.headers)
    if (!found || head === this.#putBack) {
      this.body = body
      return
    }
    this.body = found.body
    const before = { headers: this.headers, body }
    this.headers = { ...this.headers, ...found.headers }
    const moved = Object.keys(found.headers).join(', ')
    tell(`Moved into the controls above: ${moved}.`, {
      label: 'Undo',
      run: () => {
        this.#putBack = head
        this.headers = before.headers
        this.body = before.body
      },
    })
  }

  revert = (): void => {
    if (this.saved) this.#write(this.saved.text)
  }

  set = (key: H, value: string): void => {
    this.headers = { ...this.headers, [key]: value || undefined }
  }

  rename = async (name: string): Promise<void> => {
    if (!this.saved || !name.trim() || name.trim() === this.saved.name) return
    // At once, so that a save on its heels keeps the new name too.
    this.set('name' as H, name.trim())
    await this.#inTurn(() => this.#rename(name))
  }

  async #rename(name: string): Promise<void> {
    if (!this.saved) return
    try {
      const found = await this.kind.rename(this.id, name)
      this.#saved(found)
      this.set('name' as H, found.name) // what was typed meanwhile stays
      forget(this.kind.list)
    } catch (error) {
      tell(sentence(error))
      this.set('name' as H, this.saved.name)
    }
  }
}
