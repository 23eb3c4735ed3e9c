/** Addresses of the one page: /rules, /rules/12, /rules/12/follow-through; with ?at=2024-06-28 where one stands on an earlier evening. */
const read = () => ({ path: location.pathname, at: new URLSearchParams(location.search).get('at') })

export const route = $state(read())
let watchers: (() => void)[] = []

window.addEventListener('popstate', () => {
  Object.assign(route, read())
  for (const tell of watchers) tell()
})

const address = (path: string) => path + (route.at ? `?at=${route.at}` : '')

export function go(path: string, replace = false): void {
  if (path === route.path) return
  history[replace ? 'replaceState' : 'pushState'](null, '', address(path))
  route.path = path
}

/** Which evening the address names; null for the latest. Steps in time are no steps to go back through one by one. */
export function nameMoment(at: string | null): void {
  if (at === route.at) return
  route.at = at
  history.replaceState(null, '', address(route.path))
}

/** Tells when Back or Forward was pressed. Returns how to end that. */
export function onReturn(tell: () => void): () => void {
  watchers.push(tell)
  return () => (watchers = watchers.filter((other) => other !== tell))
}
