/** Ways through a page by the keyboard: F6 from one part of it to the next, arrows along the rows of a list or a table. */

const FOCUSABLE =
  'a[href], button:not([disabled]), input:not([disabled]), select:not([disabled]), textarea:not([disabled]), ' +
  '[tabindex]:not([tabindex="-1"]), [contenteditable="true"]'
const PART = 'nav, header, aside, section, form, table, ol, ul, [role=tablist], [role=tabpanel], .cm-editor'
/** What moves by arrows of its own, or is typed into. */
const OWN =
  'input, select, textarea, .cm-editor, [role=tab], [role=radio], [role=slider], [role=menu], [role=menuitem], [role=option], [role=separator], [role=combobox]'

const shown = (element: Element) => element.checkVisibility?.() ?? true

function stops(within: ParentNode): HTMLElement[] {
  return [...within.querySelectorAll<HTMLElement>(FOCUSABLE)].filter(shown)
}

/** Where each part of the page begins: the first thing in it that can have the focus. */
export function beginnings(page: ParentNode): HTMLElement[] {
  const first = [...page.querySelectorAll(PART)].map((part) => stops(part)[0])
  return [...new Set(first.filter((one) => one !== undefined))]
}

/** The beginning of the next part, or of the one before; around at the ends. null on a page without any. */
export function nextPart(page: ParentNode, from: Element | null, back = false): HTMLElement | null {
  const all = beginnings(page)
  const after = (a: Element, b: Element) =>
    Boolean(a.compareDocumentPosition(b) & Node.DOCUMENT_POSITION_FOLLOWING)
  const found =
    from === null
      ? undefined
      : back
        ? all.findLast((one) => one !== from && after(one, from))
        : all.find((one) => one !== from && after(from, one))
  return found ?? all.at(back ? -1 : 0) ?? null
}

/** The same thing in the next row of the list or table that has the focus, or in the one before; null where there is none. */
export function nextRow(from: Element, back = false): HTMLElement | null {
  if (from.closest(OWN)) return null
  const row = from.closest('li, tr')
  if (!row) return null
  const at = stops(row).indexOf(from as HTMLElement)
  for (
    let next = back ? row.previousElementSibling : row.nextElementSibling;
    next;
    next = back ? next.previousElementSibling : next.nextElementSibling
  ) {
    const there = stops(next)
    if (there.length) return there[Math.min(Math.max(at, 0), there.length - 1)]!
  }
  return null
}
