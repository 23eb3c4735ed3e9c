/** Tables out of the page: comma-separated text, downloads, the clipboard. */
export type Cell = string | number | boolean | null | undefined

/** A text that a spreadsheet would take for a formula is kept a text (OWASP, “CSV Injection”); numbers are numbers. */
function harmless(text: string): string {
  return /^[=+\-@\t\r]/.test(text) ? `'${text}` : text
}

function quoted(cell: Cell): string {
  const text =
    cell === null || cell === undefined ? '' : typeof cell === 'string' ? harmless(cell) : String(cell)
  return /[",\n\r]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text
}

/** RFC 4180 text with a header row. */
export function csv(header: string[], rows: Cell[][]): string {
  return [header, ...rows].map((row) => row.map(quoted).join(',')).join('\r\n') + '\r\n'
}

export function download(name: string, content: string | Blob, type = 'text/csv'): void {
  const link = document.createElement('a')
  const blob = typeof content === 'string' ? new Blob([content], { type: `${type};charset=utf-8` }) : content
  link.href = URL.createObjectURL(blob)
  link.download = name.replace(/[\\/:*?"<>|]+/g, ' ').trim()
  link.click()
  setTimeout(() => URL.revokeObjectURL(link.href), 1000)
}

/** Puts text on the clipboard; false where the browser refuses. */
export async function copy(text: string): Promise<boolean> {
  try {
    await navigator.clipboard.writeText(text)
    return true
  } catch {
    return false
  }
}
