<script lang="ts">
  /** A line between two panes that can be dragged, or moved with the arrow keys. */
  interface Props {
    label: string
    orientation: 'vertical' | 'horizontal'
    value: number
    hidden?: boolean
    /** Where the pointer is: across the page, and down the pane in hundredths of its height. */
    ondrag: (x: number, down: number) => void
    onnudge: (by: 1 | -1) => void
    onend?: () => void
  }
  const { label, orientation, value, hidden = false, ondrag, onnudge, onend }: Props = $props()
  const upright = $derived(orientation === 'vertical')

  function drag(event: PointerEvent): void {
    const handle = event.currentTarget as HTMLElement
    const box = handle.parentElement!.getBoundingClientRect()
    handle.setPointerCapture(event.pointerId)
    handle.onpointermove = (move) => ondrag(move.clientX, ((move.clientY - box.top) / box.height) * 100)
    handle.onpointerup = () => {
      handle.onpointermove = null
      onend?.()
    }
  }
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
<div
  role="separator"
  aria-orientation={orientation}
  aria-label={label}
  aria-valuenow={Math.round(value)}
  tabindex="0"
  class:hidden
  class="shrink-0 border-hair hover:border-ember focus-visible:border-ember {upright
    ? 'w-[5px] cursor-col-resize border-l'
    : 'h-[5px] cursor-row-resize border-b'}"
  onpointerdown={drag}
  onkeydown={(event) => {
    if (event.key === (upright ? 'ArrowLeft' : 'ArrowUp')) onnudge(-1)
    if (event.key === (upright ? 'ArrowRight' : 'ArrowDown')) onnudge(1)
  }}
></div>
