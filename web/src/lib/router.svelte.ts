/** Addresses of the one page: /rules, /rules/12, /rules/12/follow-through. */
export const route = $state({ path: location.pathname })

window.addEventListener('popstate', () => (route.path = location.pathname))

export function go(path: string, replace = false): void {
  if (path === route.path) return
  history[replace ? 'replaceState' : 'pushState'](null, '', path)
  route.path = path
}
