/** A piece of work the server was asked for, followed until it has ended. */
import { api, sentence } from '$lib/api'
import { unfinished, watchJob } from '$lib/invalidation'
import { client } from '$lib/queries'

/** What is known of any piece of work. */
export interface Work {
  id: number
  kind: string
  state: 'waiting' | 'running' | 'done' | 'stopped' | 'failed' | 'interrupted'
  stage: string
  share: number
  detail: string
}

/** Where work is stopped, and asked for once more. */
interface Deeds {
  stop: (id: number) => Promise<unknown>
  again: (id: number) => Promise<{ id: number }>
}
const STUDIES: Deeds = { stop: api.stopStudy, again: api.studyAgain }

export class Watched<T extends Work & { result: unknown }> {
  run = $state.raw<T | null>(null)
  /** The latest answer: it stays while the next one is worked on. */
  result = $state.raw<T['result'] | null>(null)
  failed = $state('')
  readonly busy = $derived(unfinished(this.run))
  #turn = 0

  constructor(
    private readonly kind: string,
    private readonly fetch: (id: number) => Promise<T>,
    private readonly deeds: Deeds = STUDIES,
  ) {}

  look(id: number): Promise<T> {
    return client.fetchQuery({
      queryKey: ['run', this.kind, id],
      queryFn: () => this.fetch(id),
      staleTime: 0,
      gcTime: 0,
    })
  }

  /** Asks, then follows it until it has ended. Resolves to whether an answer came; a later call takes its place. */
  async start(ask: () => Promise<T>): Promise<boolean> {
    const mine = ++this.#turn
    this.failed = ''
    try {
      const now = await ask()
      if (mine !== this.#turn) return false
      if (!this.#take(now)) await this.#followed(now.id, mine)
      return mine === this.#turn && this.run?.state === 'done'
    } catch (error) {
      if (mine === this.#turn) {
        this.failed = sentence(error)
        this.run = null
      }
      return false
    }
  }

  /** What it is now. Whether it has ended. */
  #take(now: T): boolean {
    this.run = now
    if (now.state === 'done') this.result = now.result
    if (now.state === 'failed') this.failed = now.detail
    return !unfinished(now)
  }

  #followed(id: number, mine: number): Promise<void> {
    return new Promise((resolve, reject) => {
      const end = watchJob(id, (event) => {
        if (mine !== this.#turn) {
          end()
          resolve()
        } else if (event && unfinished(event)) {
          if (this.run) this.run = { ...this.run, ...event, kind: this.run.kind }
        } else
          this.look(id).then(
            (now) => {
              if (mine === this.#turn && !this.#take(now)) return
              end()
              resolve()
            },
            (error) => {
              end()
              reject(error as Error)
            },
          )
      })
    })
  }

  /** Runs the same question once more. */
  async again(): Promise<boolean> {
    const id = this.run?.id
    return id === undefined ? false : this.start(async () => this.look((await this.deeds.again(id)).id))
  }

  async stop(): Promise<void> {
    const run = this.run
    if (run) await this.deeds.stop(run.id).catch(() => {})
  }

  /** Nobody looks any more. The work itself goes on, and is found again when the same is asked. */
  leave(): void {
    this.#turn++
  }
}
