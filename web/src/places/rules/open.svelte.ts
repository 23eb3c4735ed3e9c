/** A rule that is open: its text as it is typed, and what is saved of it. */
import { untrack } from 'svelte'
import { api, Problem, sentence, type RuleDetail } from '$lib/api'
import { ask, client, forget, query } from '$lib/queries'
import { go } from '$lib/router.svelte'
import { drop, keep, keptOf } from './draft'
import { tell } from '$lib/notice.svelte'
import { join, lifted, split, withName, type Header, type HeaderValues } from '$lib/rule/headers'

export class OpenRule {
  rule = $state<RuleDetail | null>(null)
  failed = $state('')
  headers = $state<HeaderValues>({})
  body = $state('')
  readonly text = $derived(join(this.headers, this.body))
  readonly dirty = $derived(this.rule !== null && this.text !== this.rule.text)
  /** The rule as it was saved in another window or on another device, while something else stood here unsaved. */
  theirs = $state.raw<RuleDetail | null>(null)
  /** Whether what is not saved is safe in this browser. */
  kept = $state(true)
  #saving = $state(0)
  #turn: Promise<void> = Promise.resolve()
  /** The mark of the text that what stands here builds on. */
  #seen = ''
  readonly #kept: {
    readonly data: RuleDetail | undefined
    readonly error: Error | null
    readonly isFetching: boolean
  }
  /** A head that was put back into the editor, and stays there as it is. */
  #putBack = ''

  /** To be made where a component begins: what is typed and not saved is kept in the browser. */
  constructor(readonly id: number) {
    this.#kept = query(() => ask.rule(id))
    $effect(() => {
      const { data, error, isFetching } = this.#kept
      // It begins with the rule as it is now, not as it was when it was open last.
      if (this.#saving || (isFetching && !untrack(() => this.rule))) return
      untrack(() => this.#heard(data, error))
    })
    $effect(() => {
      if (!this.rule) return
      if (this.dirty) this.kept = keep(id, { text: this.text, seen: this.#seen })
      else drop(id)
    })
  }

  /** What the server has of the rule: at first, and whenever it was saved anywhere. */
  #heard(found: RuleDetail | undefined, error: Error | null): void {
    if (!found) {
      if (error && !this.rule) this.failed = sentence(error)
      return
    }
    if (!this.rule) return this.#begin(found)
    if (found.saved < this.rule.saved) return // asked before what was saved here last
    if (found.mark === this.rule.mark) {
      this.rule = { ...this.rule, ...found, text: this.rule.text }
      return
    }
    if (this.dirty && found.text !== this.text) this.theirs = found
    else {
      const { version } = this.rule
      this.take(found)
      if (found.version !== version)
        tell(`Version ${found.version} was saved elsewhere, and is what you see.`)
    }
  }

  #begin(found: RuleDetail): void {
    this.failed = ''
    const draft = keptOf(this.id)
    this.take(found)
    if (draft === null || draft.text === this.rule?.text) return
    this.#write(draft.text)
    // Saved elsewhere since it was written: as with two windows, both are offered.
    if (draft.seen !== null && draft.seen !== found.mark) {
      this.theirs = found
      this.#seen = draft.seen
    } else tell('Unsaved changes from before are kept.', { label: 'Drop them', run: this.revert })
  }

  #write(text: string): void {
    const parts = split(text)
    this.headers = parts.headers
    this.body = parts.body
  }

  #saved(found: RuleDetail): void {
    this.theirs = null
    this.#seen = found.mark
    client.setQueryData(ask.rule(this.id).queryKey, found)
    const parts = split(found.text)
    // What is compared with the editor is the text as the editor would write it.
    this.rule = { ...found, text: join(parts.headers, parts.body) }
  }

  /** The rule as the server has it, in place of what was typed. */
  take = (found: RuleDetail): void => {
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
    if (!this.rule) return
    if (this.theirs && over !== this.theirs.mark)
      return tell('This rule was saved elsewhere meanwhile; choose above the lines which text stays.')
    const sent = this.text
    try {
      const found = await api.save(this.id, sent, over ?? this.#seen)
      const { version } = this.rule
      // What was typed while the answer was on its way stays, and is not saved yet.
      if (this.text === sent) this.take(found)
      else this.#saved(found)
      forget('rules')
      tell(found.version === version ? 'Saved.' : `Saved as version ${found.version}.`)
    } catch (error) {
      if (error instanceof Problem && error.theirs) this.theirs = error.theirs
      else tell(sentence(error))
    }
  }

  /** The text saved elsewhere in place of the one here, which can be had back. */
  takeTheirs = (): void => {
    if (!this.theirs) return
    const mine = this.text
    this.take(this.theirs)
    tell(`Version ${this.rule!.version} is what you see.`, {
      label: 'Back to what I wrote',
      run: () => this.#write(mine),
    })
  }

  /** What is written here as a rule of its own, and here the text saved elsewhere. */
  keepBoth = async (): Promise<void> => {
    if (!this.theirs || !this.rule) return
    try {
      const name = `${this.rule.name.slice(0, 100)}, as I wrote it`
      const made = await api.create(withName(this.text, name), name)
      this.take(this.theirs)
      forget('rules')
      tell(`What you wrote is kept as “${made.name}”.`, {
        label: 'Open it',
        run: () => go(`/rules/${made.id}`),
      })
    } catch (error) {
      tell(sentence(error))
    }
  }

  /** What stands in the editor now, and the line of its cursor: a head written or pasted there moves into the controls. */
  type = (body: string, cursor: number): void => {
    const found = lifted(body, cursor)
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
    if (this.rule) this.#write(this.rule.text)
  }

  set = (key: Header, value: string): void => {
    this.headers = { ...this.headers, [key]: value || undefined }
  }

  rename = async (name: string): Promise<void> => {
    if (!this.rule || !name.trim() || name.trim() === this.rule.name) return
    // At once, so that a save on its heels keeps the new name too.
    this.set('name', name.trim())
    await this.#inTurn(() => this.#rename(name))
  }

  async #rename(name: string): Promise<void> {
    if (!this.rule) return
    try {
      const found = await api.change(this.id, { name })
      this.#saved(found)
      this.set('name', found.name) // what was typed meanwhile stays
      forget('rules')
    } catch (error) {
      tell(sentence(error))
      this.set('name', this.rule.name)
    }
  }
}
