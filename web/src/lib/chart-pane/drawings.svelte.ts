/** The drawings of the instrument on show, and what can be done with them; every deed can be undone. */
import { api, sentence, type Drawing, type DrawingIn, type Drawn } from '$lib/api'
import { NAMES, points, type Kind, type Point } from '$lib/charts/drawing'
import { tell } from '$lib/notice.svelte'
import { ask, client } from '$lib/queries'

/** The chart that is drawn on. */
interface On {
  symbol: string
  of: Drawn
}

export class Drawings {
  all = $state.raw<Drawing[]>([])
  selected = $state<number | null>(null)
  tool = $state<Kind | null>(null)
  #on: On = { symbol: '', of: { as_of: null, frame: 'day' } }
  #turn: Promise<void> = Promise.resolve()

  async load(symbol: string, of: Drawn): Promise<void> {
    if (symbol !== this.#on.symbol) {
      this.all = []
      this.selected = null
    }
    const on = (this.#on = { symbol, of })
    try {
      const found = await client.fetchQuery(ask.drawings(symbol, of))
      if (this.#on === on) this.all = found
    } catch (error) {
      tell(sentence(error))
    }
  }

  /** In the order they were asked: what is undone at once is not done after it. */
  #inTurn(work: () => Promise<void>): Promise<void> {
    this.#turn = this.#turn.then(work).catch((error) => tell(sentence(error)))
    return this.#turn
  }

  /**
   * What is on show after a deed on one chart: nothing new where another instrument is on show by then; where the same one
   * is, of another day or frame, its prices are on another scale and are fetched. Whether the deed's chart is on show.
   */
  #show(on: On, all?: (before: Drawing[]) => Drawing[]): boolean {
    if (this.#on.symbol !== on.symbol) return false
    const same = this.#on.of.as_of === on.of.as_of && this.#on.of.frame === on.of.frame
    if (all && same) this.all = all(this.all)
    else void this.load(on.symbol, this.#on.of)
    return same
  }

  /** As the server takes it: the range's later point may come first. */
  #body(kind: string, at: Point[], text: string): DrawingIn {
    return { kind: kind as Kind, points: at.map((p) => ({ ...p, day: p.day.slice(0, 10) })), text }
  }

  add = (kind: Kind, at: Point[], text = ''): Promise<void> => {
    const on = this.#on
    return this.#inTurn(async () => {
      const made = await api.draw(on.symbol, on.of, this.#body(kind, at, text))
      this.tool = null
      if (this.#show(on, (before) => [...before, made])) this.selected = made.id
      tell(`${NAMES[kind]} drawn.`, { label: 'Undo', run: () => void this.erase(made, false, on) })
    })
  }

  #put(drawing: Drawing, at: Point[], text: string, on: On): Promise<void> {
    return this.#inTurn(async () => {
      const made = await api.redraw(on.symbol, on.of, drawing.id, this.#body(drawing.kind, at, text))
      this.#show(on, (before) => before.map((d) => (d.id === made.id ? made : d)))
    })
  }

  move = (drawing: Drawing, at: Point[]): Promise<void> => {
    const [before, on] = [points(drawing), this.#on]
    tell(`${NAMES[drawing.kind as Kind]} moved.`, {
      label: 'Undo',
      run: () => void this.#put(drawing, before, drawing.text, on),
    })
    return this.#put(drawing, at, drawing.text, on)
  }

  name = (drawing: Drawing, text: string): Promise<void> =>
    this.#put(drawing, points(drawing), text, this.#on)

  /** As the one it was: an alert that waits at it goes on. */
  #restore(drawing: Drawing, on: On): Promise<void> {
    return this.#inTurn(async () => {
      await api.restoreDrawing(on.symbol, drawing.id)
      this.#show(on)
      tell(`${NAMES[drawing.kind as Kind]} is back.`)
    })
  }

  /** on: the chart it belongs to. */
  erase = (drawing: Drawing, undo = true, on = this.#on): Promise<void> =>
    this.#inTurn(async () => {
      await api.erase(on.symbol, drawing.id)
      if (undo)
        tell(`${NAMES[drawing.kind as Kind]} deleted.`, {
          label: 'Undo',
          run: () => void this.#restore(drawing, on),
        })
      this.#show(on, (before) => before.filter((d) => d.id !== drawing.id))
      if (this.selected === drawing.id) this.selected = null
    })
}
