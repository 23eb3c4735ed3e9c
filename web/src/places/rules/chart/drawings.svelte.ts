/** The drawings of the instrument on show, and what can be done with them; every deed can be undone. */
import { api, sentence, type Drawing, type DrawingIn, type Drawn } from '$lib/api'
import { NAMES, points, type Kind, type Point } from '$lib/charts/drawing'
import { tell } from '$lib/notice.svelte'
import { ask, client } from '$lib/queries'

export class Drawings {
  all = $state.raw<Drawing[]>([])
  selected = $state<number | null>(null)
  tool = $state<Kind | null>(null)
  #symbol = ''
  #query: Drawn = { as_of: null, frame: 'day' }

  async load(symbol: string, query: Drawn): Promise<void> {
    if (symbol !== this.#symbol) {
      this.all = []
      this.selected = null
    }
    this.#symbol = symbol
    this.#query = query
    try {
      const found = await client.fetchQuery(ask.drawings(symbol, query))
      if (this.#symbol === symbol && this.#query === query) this.all = found
    } catch (error) {
      tell(sentence(error))
    }
  }

  async #attempt(work: () => Promise<void>): Promise<void> {
    try {
      await work()
    } catch (error) {
      tell(sentence(error))
    }
  }

  /** As the server takes it: the range's later point may come first. */
  #body(kind: string, at: Point[], text: string): DrawingIn {
    return { kind: kind as Kind, points: at.map((p) => ({ ...p, day: p.day.slice(0, 10) })), text }
  }

  add = (kind: Kind, at: Point[], text = ''): Promise<void> =>
    this.#attempt(async () => {
      const made = await api.draw(this.#symbol, this.#query, this.#body(kind, at, text))
      this.all = [...this.all, made]
      this.selected = made.id
      this.tool = null
      tell(`${NAMES[kind]} drawn.`, { label: 'Undo', run: () => void this.erase(made, false) })
    })

  #put(drawing: Drawing, at: Point[], text: string): Promise<void> {
    return this.#attempt(async () => {
      const made = await api.redraw(this.#symbol, this.#query, drawing.id, this.#body(drawing.kind, at, text))
      this.all = this.all.map((d) => (d.id === made.id ? made : d))
    })
  }

  move = (drawing: Drawing, at: Point[]): Promise<void> => {
    const before = points(drawing)
    tell(`${NAMES[drawing.kind as Kind]} moved.`, {
      label: 'Undo',
      run: () => void this.#put(drawing, before, drawing.text),
    })
    return this.#put(drawing, at, drawing.text)
  }

  name = (drawing: Drawing, text: string): Promise<void> => this.#put(drawing, points(drawing), text)

  erase = (drawing: Drawing, undo = true): Promise<void> =>
    this.#attempt(async () => {
      await api.erase(this.#symbol, drawing.id)
      this.all = this.all.filter((d) => d.id !== drawing.id)
      if (this.selected === drawing.id) this.selected = null
      if (undo)
        tell(`${NAMES[drawing.kind as Kind]} deleted.`, {
          label: 'Undo',
          run: () => void this.add(drawing.kind as Kind, points(drawing), drawing.text),
        })
    })
}
