/** A part that is fetched when it is first asked for, and kept; asked again after a failure. */
export function lazily<T>(load: () => Promise<T>): () => Promise<T> {
  let found: Promise<T> | null = null
  return () =>
    (found ??= load().catch((error) => {
      found = null
      throw error
    }))
}
