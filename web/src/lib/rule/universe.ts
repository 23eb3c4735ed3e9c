/** A universe as a person puts it together: names with joins, as the server reads them. */
export const JOINS = ['and', 'or', 'without'] as const
export type Join = (typeof JOINS)[number]
export interface UniversePart {
  join: Join | ''
  name: string
}

/** The text as parts; a name that is not known is kept as it stands, so that nothing a person wrote is lost. */
export function readUniverse(text: string, known: string[]): UniversePart[] {
  const found: UniversePart[] = []
  let rest = text.trim()
  let join: Join | '' = ''
  while (rest) {
    const name =
      known
        .filter(
          (k) => rest === k || (rest.startsWith(k) && /^\s+(and|or|without)\s+/.test(rest.slice(k.length))),
        )
        .sort((a, b) => b.length - a.length)[0] ?? rest.split(/\s+(?:and|or|without)\s+/)[0]!
    found.push({ join, name })
    const after = /^\s+(and|or|without)\s+/.exec(rest.slice(name.length))
    if (!after) break
    join = after[1] as Join
    rest = rest.slice(name.length + after[0].length)
  }
  return found
}

export function writeUniverse(parts: UniversePart[]): string {
  return parts.map((part, i) => (i ? `${part.join || 'and'} ${part.name}` : part.name)).join(' ')
}
