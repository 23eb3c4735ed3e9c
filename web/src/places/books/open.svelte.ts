/** A book that is open, and what its text says as it is typed. */
import { Problem, books, sentence, type BookDetail, type RuleProblem, type Schemas } from '$lib/api'
import { OpenText, type Kind } from '$lib/open/open.svelte'
import { ask, keepPrevious, query } from '$lib/queries'
import { join, lifted, offsetOf, split, type BookHeader } from './head'

const BOOK: Kind<BookDetail, BookHeader> = {
  what: 'book',
  address: '/books',
  list: 'books',
  one: ask.book,
  save: books.save,
  create: books.create,
  rename: books.rename,
  split,
  join,
  lifted,
  offsetOf,
}
const PAUSE = 120 // after the last key, before the text is read

export class OpenBook extends OpenText<BookDetail, BookHeader> {
  constructor(id: number) {
    super(id, BOOK)
  }
}

/** What the server reads in the text. */
export class Reading {
  #text = $state('')
  readonly #wanted: () => string
  readonly #answer = query(() => ({
    ...ask.bookCheck(this.#text),
    enabled: this.#text !== '',
    ...keepPrevious,
  }))
  /** Of the latest text that could be read; it stays while another is read or mended. */
  said = $state.raw<Schemas['BookChecked'] | null>(null)
  errors = $state.raw<RuleProblem[]>([])
  trouble = $state('')
  /** The text that `said`, `errors` and `trouble` are of. */
  read = $state('')

  /** To be made where a component begins. */
  constructor(wanted: () => string) {
    this.#wanted = wanted
    $effect(() => {
      const next = wanted()
      const timer = setTimeout(() => (this.#text = next), this.#text ? PAUSE : 0)
      return () => clearTimeout(timer)
    })
    $effect(() => {
      const { data, error, isFetching, isPlaceholderData } = this.#answer
      if (isFetching || (!error && (isPlaceholderData || data?.text !== this.#text))) return
      if (!data && !error) return
      this.errors = error instanceof Problem ? error.errors : []
      this.trouble = error && !this.errors.length ? sentence(error) : ''
      if (!error && data) this.said = data.said
      this.read = this.#text
    })
  }

  readonly reading = $derived.by(() => this.read !== this.#wanted())
  readonly broken = $derived(this.errors.length > 0 || this.trouble !== '')
}
