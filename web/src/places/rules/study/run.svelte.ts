/** A piece of work the server was asked for, watched until it has ended. */
import { api, sentence, type AnyRun } from '$lib/api'

const POLL = 200

export const unfinished = (run: AnyRun | null) => run?.state === 'waiting' || run?.state === 'running'

export class Watched<T extends AnyRun & { result: unknown }> {
  run = $state.raw<T | null>(null)
  /** The latest answer: it stays while the next one is worked on. */
  result = $state.raw<T['result'] | null>(null)
  failed = $state('')
  readonly busy = $derived(unfinished(this.run))
  #turn = 0

  constructor(private readonly look: (id: number) => Promise<T>) {}

  /** Asks, then looks until it has ended. Resolves to whether an answer came; a later call takes its place. */
  async start(ask: () => Promise<T>): Promise<boolean> {
    const mine = ++this.#turn
    this.failed = ''
    try {
      let now = await ask()
      while (mine === this.#turn) {
        this.run = now
        if (!unfinished(now)) {
          if (now.state === 'done') this.result = now.result
          if (now.state === 'failed') this.failed = now.detail
          return now.state === 'done'
        }
        await new Promise((resolve) => setTimeout(resolve, POLL))
        now = await this.look(now.id)
      }
    } catch (error) {
      if (mine === this.#turn) {
        this.failed = sentence(error)
        this.run = null
      }
    }
    return false
  }

  /** Runs the same question once more. */
  async again(): Promise<boolean> {
    const id = this.run?.id
    return id === undefined ? false : this.start(async () => this.look((await api.studyAgain(id)).id))
  }

  async stop(): Promise<void> {
    const run = this.run
    if (run) await api.stopStudy(run.id).catch(() => {})
  }

  /** Nobody looks any more. The work itself goes on, and is found again when the same is asked. */
  leave(): void {
    this.#turn++
  }
}
