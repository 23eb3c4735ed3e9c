/** Addresses of the one page: /rules, /rules/12, /rules/12/follow-through. */
export const route = $state({ path: location.pathname })

window.addEventListener('popstate', () => (route.path = location.pathname))

export function go(path: string, replace = false): void {
  if (path === route.path) return
  history[replace ? 'replaceState' : 'pushState'](null, '', path)
  route.path = path
}

/** The rule and tab an address names. */
export function ruleOf(path: string): { id: number; tab: string } | null {
  const match = /^\/rules\/(\d+)(?:\/([a-z-]+))?\/?$/.exec(path)
  return match ? { id: Number(match[1]), tab: match[2] ?? 'hits' } : null
}

/** The name that the reference is opened at, "" for all of it, null elsewhere. */
export function referenceOf(path: string): string | null {
  const match = /^\/reference(?:\/([a-z0-9_.]*))?\/?$/.exec(path)
  return match ? (match[1] ?? '') : null
}

/** The secret of a shared rule's address, null elsewhere. */
export function sharedOf(path: string): string | null {
  return /^\/shared\/([\w-]+)\/?$/.exec(path)?.[1] ?? null
}
