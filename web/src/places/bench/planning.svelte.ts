/** The plan of the item in view: proposed, kept, or with levels being tried. */
import { sentence, type Schemas } from '$lib/api'
import { attempt, undoable } from '$lib/mutation'
import { bench, type Plan, type PlanIn } from '$lib/desk'
import { market } from '$lib/market.svelte'
import { tell } from '$lib/notice.svelte'
import { ask, keepPrevious, query } from '$lib/queries'

type Target = NonNullable<PlanIn['targets']>[number]

const asked = (id: () => number | null, body: () => Schemas['PlanTried']) =>
  query(() => ({ ...ask.plan(id() ?? 0, body()), ...keepPrevious, enabled: id() !== null }))

export class Planning {
  readonly #id: () => number | null
  /** Levels that are tried and not kept; null while what is kept or proposed stands. */
  tried = $state.raw<PlanIn | null>(null)
  side = $state<'long' | 'short' | null>(null)
  readonly #body = $derived.by(() => ({ as_of: market.asOf, side: this.side, plan: this.tried }))
  readonly #answer: ReturnType<typeof asked>
  /** The last plan that could be worked out. */
  #last = $state.raw<Plan | null>(null)
  readonly now = $derived.by<Plan | null>(() => this.#answer.data?.plan ?? this.#last)
  readonly trouble = $derived.by(() =>
    this.#answer.error && !this.#answer.isFetching ? sentence(this.#answer.error) : '',
  )
  readonly working = $derived.by(
    () =>
      this.#answer.isFetching ||
      (this.#answer.data !== undefined &&
        this.#answer.data.body !== this.#body &&
        this.#answer.isPlaceholderData),
  )
  readonly levels = $derived.by<PlanIn | null>(() => this.tried ?? (this.now ? { ...this.now.plan } : null))

  /** id: of the item in view. To be made where a component begins. */
  constructor(id: () => number | null) {
    this.#id = id
    this.#answer = asked(id, () => this.#body)
    let before: number | null = null
    $effect(() => {
      const now = id()
      if (now !== before) {
        before = now
        this.tried = null
        this.side = null
        this.#last = null
      }
    })
    $effect(() => {
      const found = this.#answer.data
      if (found && !this.#answer.isPlaceholderData) this.#last = found.plan
    })
  }

  change(change: Partial<PlanIn>): void {
    const now = this.levels
    if (now) this.tried = { ...now, ...change }
  }

  target(nth: number, change: Partial<Target>): void {
    const targets = (this.levels?.targets ?? []).map((one, i) => (i === nth ? { ...one, ...change } : one))
    this.change({ targets })
  }

  /** It was bought or sold out meanwhile: levels that were tried for what it was before are of no use. */
  filled(): void {
    this.tried = null
    this.side = null
    this.#last = null
  }

  /** Another target behind the last: half of what is left is taken at the one before. */
  more(): void {
    const [now, plan] = [this.levels, this.now]
    if (!now || !plan || this.working) return // where it might be is told of the levels that stand
    const targets = (now.targets ?? []).map((one) => ({ ...one }))
    const last = targets.at(-1)
    const left = 1 - targets.slice(0, -1).reduce((sum, one) => sum + one.part, 0)
    if (last) last.part = Number((left / 2).toFixed(4))
    targets.push({ price: plan.further, part: last ? Number((left - last.part).toFixed(4)) : 1 })
    this.change({ targets })
  }

  less(nth: number): void {
    this.change({ targets: (this.levels?.targets ?? []).filter((_, i) => i !== nth) })
  }

  turn(side: 'long' | 'short'): void {
    this.tried = null
    this.side = side
  }

  async keep(symbol: string): Promise<void> {
    const [id, plan, tried] = [this.#id(), this.levels, this.tried]
    if (id === null || !plan) return
    await attempt(['bench', 'alerts'], async () => {
      await bench.keepPlan(id, plan, market.asOf)
      if (this.tried === tried) this.tried = null // what was changed since, here or of another item, is tried still
      tell(`The plan for ${symbol} is saved.`)
    })
  }

  async drop(symbol: string): Promise<void> {
    const [id, before] = [this.#id(), this.now?.kept ? { ...this.now.plan } : null]
    if (id === null) return
    await attempt(['bench'], async () => {
      await bench.keepPlan(id, null, market.asOf)
      if (this.#id() === id) this.tried = null
      const taken = `The plan for ${symbol} is deleted.`
      if (before) undoable(taken, ['bench'], () => bench.keepPlan(id, before, market.asOf))
      else tell(taken)
    })
  }
}
