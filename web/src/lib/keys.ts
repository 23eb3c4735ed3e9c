/** Keys of the interface itself, as against keys that are typed into something. */
const INTO =
  'input:not([type=checkbox], [type=range]), textarea, select, .cm-editor, [role=menu], [role=dialog]'

/** Whether a key may be taken as a command: nothing else has dealt with it, and nothing is being typed or chosen. */
export function isCommand(event: KeyboardEvent): boolean {
  return (
    !event.defaultPrevented &&
    !event.ctrlKey &&
    !event.metaKey &&
    !event.altKey &&
    !(event.target instanceof Element && event.target.closest(INTO))
  )
}
