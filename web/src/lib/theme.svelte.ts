/** Light or dark: the system's preference decides until the person chooses. */
type Theme = 'light' | 'dark'
const KEY = 'upperwick-theme'

function chosen(): Theme | null {
  const kept = localStorage.getItem(KEY)
  return kept === 'light' || kept === 'dark' ? kept : null
}

const system = window.matchMedia('(prefers-color-scheme: dark)')
export const theme = $state<{ now: Theme }>({ now: chosen() ?? (system.matches ? 'dark' : 'light') })

export function applyTheme(): void {
  document.documentElement.dataset.theme = theme.now
  system.addEventListener('change', () => {
    if (!chosen()) set(system.matches ? 'dark' : 'light')
  })
}

function set(next: Theme): void {
  document.documentElement.dataset.theme = next
  theme.now = next
}

export function toggleTheme(): void {
  const next = theme.now === 'dark' ? 'light' : 'dark'
  localStorage.setItem(KEY, next)
  set(next)
}

/** A colour of the present theme, for canvases. */
export function colour(name: string): string {
  return getComputedStyle(document.documentElement).getPropertyValue(`--${name}`).trim()
}
