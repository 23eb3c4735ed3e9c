/** The counts of a rule as it is typed. */
import { untrack } from 'svelte'
import { Problem, sentence, type RuleProblem, type Scan } from '$lib/api'
import { ask, query } from '$lib/queries'
import { withRuns } from './runs'

export interface Question {
  text: string
  as_of: string | null
  columns: string[]
}
// One question at a time: the next goes out as soon as the answer is here, and always with the latest text. One that takes long is
// given up for it.
const PATIENCE = 250
// The whole history is looked at once somebody has stopped typing.
const REST = 400

const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b)

export class Counts {
  #scan = $state.raw<Scan | null>(null)
  /** The lines to mend, without which `scan` was counted. */
  without = $state.raw<number[]>([])
  /** The text that was counted last: hits and charts are of one and the same rule, and wait for its counts. */
  counted = $state('')
  readonly #wanted: () => Question | null
  #asked = $state.raw<Question | null>(null)
  #begun = 0
  readonly #answer = query(() => ({
    ...ask.scan(this.#asked ?? { text: '', as_of: null, columns: [] }),
    enabled: this.#asked !== null,
  }))
  /** Whether the text that was asked about last is the text as it stands. */
  readonly #latest = $derived.by(() => same(this.#asked, this.#wanted()))
  /** Between asking and the query's having taken it up: what it says is still of the question before. */
  #handed = $state(false)
  /** The question whose answer stands in `errors` and `scan`: a part of the page may look between an answer and its being taken over. */
  #taken = $state.raw<Question | null>(null)
  readonly counting = $derived(
    this.#answer.isFetching || this.#handed || !this.#latest || this.#taken !== this.#asked,
  )
  #rested = $state('')
  readonly #history = query(() => ({
    ...ask.history({ text: this.#rested, as_of: this.#asked?.as_of ?? null }),
    enabled: this.#rested !== '' && this.#rested === this.counted,
  }))
  /** What the whole history says of `scan`; null while that is worked out, and where it is of the moment before. */
  readonly #told = $derived.by(() => {
    const told = this.#rested === this.counted ? this.#history.data : undefined
    return told && told.as_of === this.#scan?.as_of ? told : null
  })
  /** The latest answer: it stays, and is said to be old, while the next is worked on. Of a text with errors it is that of its other lines;
   * null where nothing can be counted. How long the older hits have been hits is known with the history. */
  readonly scan = $derived(withRuns(this.#scan, this.#told?.runs))
  /** On what share of all bars each line of `scan` is true; null while that is worked out. */
  readonly ever = $derived(this.#told?.ever ?? null)
  /** What is wrong with the text that was asked about last: it stays until the next answer. */
  errors = $state.raw<RuleProblem[]>([])
  /** What is to be said of the lines, from the whole history too once that was looked at; none of a text with errors. */
  readonly advice = $derived(this.errors.length > 0 ? [] : (this.#told?.advice ?? this.#scan?.advice ?? []))
  trouble = $state('')
  /** Whether the text cannot be counted as it stands. */
  readonly stale = $derived(this.errors.length > 0 || this.trouble !== '')
  readonly why = $derived(this.errors[0]?.message ?? this.trouble)

  /** wanted: what is to be counted now; null while there is nothing. To be made where a component begins. */
  constructor(wanted: () => Question | null) {
    this.#wanted = wanted
    $effect(() => {
      const next = wanted()
      const busy = this.#answer.isFetching
      if (!next || untrack(() => this.#latest)) return
      const left = untrack(() => this.#asked) && busy ? this.#begun + PATIENCE - performance.now() : 0
      if (left <= 0) return void this.#go(next)
      const timer = setTimeout(() => this.#go(next), left)
      return () => clearTimeout(timer)
    })
    $effect(() => {
      const text = this.counting ? '' : this.counted
      const timer = setTimeout(() => (this.#rested = text), text ? REST : 0)
      return () => clearTimeout(timer)
    })
    $effect(() => {
      if (this.#answer.isFetching || same(this.#answer.data?.asked, this.#asked)) this.#handed = false
    })
    $effect(() => {
      const { data, error, isFetching } = this.#answer
      if (this.#handed || isFetching || (!data && !error)) return
      this.#taken = this.#asked
      this.errors = error instanceof Problem ? error.errors : []
      this.trouble = error && !this.errors.length ? sentence(error) : ''
      const others = error instanceof Problem ? error.others : null
      this.without = others?.without ?? []
      // Old counts never stand beside a new text; where only the answer failed, those of the same text stay.
      if (others) this.#stands(others.text, others.scan)
      else if (error && this.counted !== this.#asked?.text) this.#stands('', null)
      else if (!error && data) this.#stands(data.asked.text, data.scan)
    })
  }

  #stands(text: string, scan: Scan | null): void {
    this.#scan = scan
    this.counted = text
  }

  #go(next: Question): void {
    this.#begun = performance.now()
    this.#handed = true
    this.#asked = next
  }

  /** What the numbers on the page are: of the text as it stands, or still of the one before. */
  state(text: string): 'counting' | 'errors' | 'counted' {
    if (this.counting) return 'counting'
    if (this.stale) return 'errors'
    return this.counted === text ? 'counted' : 'counting'
  }
}
