/** A rule that is open: its text as it is typed, and what is saved of it. */
import { api, sentence, type RuleDetail } from '$lib/api'
import { forget } from '$lib/queries'
import { tell } from '$lib/notice.svelte'
import { join, lifted, split, type Header, type HeaderValues } from '$lib/rule/headers'

export class OpenRule {
  rule = $state<RuleDetail | null>(null)
  failed = $state('')
  headers = $state<HeaderValues>({})
  body = $state('')
  readonly text = $derived(join(this.headers, this.body))
  readonly dirty = $derived(this.rule !== null && this.text !== this.rule.text)
  readonly #draft: string
  /** A head that was put back into the editor, and stays there as it is. */
  #putBack = ''

  /** To be made where a component begins: what is typed and not saved is kept in the browser. */
  constructor(private readonly id: number) {
    this.#draft = `upperwick-draft-${id}`
    void this.#load()
    $effect(() => {
      if (!this.rule) return
      if (this.dirty) localStorage.setItem(this.#draft, this.text)
      else localStorage.removeItem(this.#draft)
    })
  }

  async #load(): Promise<void> {
    try {
      this.take(await api.rule(this.id))
      const draft = localStorage.getItem(this.#draft)
      if (draft === null || draft === this.rule?.text) return
      this.#write(draft)
      tell('Unsaved changes from before are kept.', { label: 'Drop them', run: this.revert })
    } catch (error) {
      this.failed = sentence(error)
    }
  }

  #write(text: string): void {
    const parts = split(text)
    this.headers = parts.headers
    this.body = parts.body
  }

  #saved(found: RuleDetail): void {
    const parts = split(found.text)
    // What is compared with the editor is the text as the editor would write it.
    this.rule = { ...found, text: join(parts.headers, parts.body) }
  }

  /** The rule as the server has it, in place of what was typed. */
  take = (found: RuleDetail): void => {
    this.#saved(found)
    this.#write(found.text)
  }

  save = async (): Promise<void> => {
    if (!this.rule) return
    const sent = this.text
    try {
      const found = await api.save(this.id, sent)
      // What was typed while the answer was on its way stays, and is not saved yet.
      if (this.text === sent) this.take(found)
      else this.#saved(found)
      forget('rules')
      tell(`Saved as version ${found.version}.`)
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
    const unsaved = this.dirty ? this.body : null
    // At once, so that a save on its heels keeps the new name too.
    this.set('name', name.trim())
    try {
      this.take(await api.change(this.id, { name }))
      if (unsaved !== null) this.body = unsaved
      forget('rules')
    } catch (error) {
      tell(sentence(error))
      this.set('name', this.rule.name)
    }
  }
}
