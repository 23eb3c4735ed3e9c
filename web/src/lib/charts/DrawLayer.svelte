<script lang="ts">
  import type { Chart, Drawing } from '$lib/api'
  import { fixed, percent, price, whole } from '$lib/format'
  import { colour, theme } from '$lib/theme.svelte'
  import DrawnShape from './DrawnShape.svelte'
  import { indexOf, NAMES, points, POINTS, shifted, snap, type Kind, type Point } from './drawing'
  import { MONO } from './echarts'
  import type { View } from './PriceChart.svelte'

  interface Props {
    chart: Chart
    view: View
    drawings: Drawing[]
    tool: Kind | null
    selected: number | null
    onadd: (kind: Kind, at: Point[]) => void
    onmove: (drawing: Drawing, at: Point[]) => void
    onselect: (id: number | null) => void
    onerase: (drawing: Drawing) => void
  }
  const { chart, view, drawings, tool, selected, onadd, onmove, onselect, onerase }: Props = $props()

  let svg: SVGSVGElement
  let begun = $state<Point | null>(null)
  let under = $state<Point | null>(null)
  /** A drawing being moved: whole, or by one of its points. */
  let held = $state<{ drawing: Drawing; handle: number | null; from: [number, number]; at: Point[] } | null>(
    null,
  )
  // Literal colours: the layer is also put into pictures, where the page's variables are not known.
  const ember = $derived((void theme.now, colour('ember')))
  const paper = $derived((void theme.now, colour('paper')))

  function place(event: PointerEvent): [number, number] {
    const box = svg.getBoundingClientRect()
    return [event.clientX - box.left, event.clientY - box.top]
  }

  function down(event: PointerEvent): void {
    if (!tool) return
    event.preventDefault()
    const at = snap(chart, view, ...place(event), !event.altKey)
    if (POINTS[tool] === 1) onadd(tool, [at])
    else if (begun) finish(at)
    else begun = at
  }

  function finish(at: Point): void {
    if (begun && tool && at.day !== begun.day) onadd(tool, [begun, at])
    begun = under = null
  }

  function move(event: PointerEvent): void {
    if (held) {
      const [x, y] = place(event)
      if (held.handle === null) {
        const bars = view.index(x) - view.index(held.from[0])
        const ratio = view.price(y) / view.price(held.from[1])
        held.at = shifted(chart, points(held.drawing), held.drawing.kind === 'level' ? 0 : bars, ratio)
      } else {
        const to = snap(chart, view, x, y, !event.altKey)
        held.at = held.at.map((p, i) => (i === held!.handle ? to : p))
      }
    } else if (tool) under = snap(chart, view, ...place(event), !event.altKey)
  }

  function up(event: PointerEvent): void {
    if (held) {
      const { drawing, at } = held
      const changed = at.some(
        (p, i) => p.day !== drawing.points[i]!.day || p.price !== drawing.points[i]!.price,
      )
      if (changed) onmove(drawing, at)
      held = null
    } else if (tool && begun) {
      // A drag draws as two clicks do.
      const at = snap(chart, view, ...place(event), !event.altKey)
      if (Math.abs(view.x(indexOf(chart, at.day)) - view.x(indexOf(chart, begun.day))) > 8) finish(at)
    }
  }

  function grab(event: PointerEvent, drawing: Drawing, handle: number | null): void {
    if (tool) return
    event.preventDefault()
    event.stopPropagation()
    onselect(drawing.id)
    svg.setPointerCapture(event.pointerId)
    held = { drawing, handle, from: place(event), at: points(drawing) }
  }

  function key(event: KeyboardEvent, drawing: Drawing): void {
    const steps: Record<string, [number, number]> = {
      ArrowUp: [0, 1.0025],
      ArrowDown: [0, 1 / 1.0025],
      ArrowLeft: [-1, 1],
      ArrowRight: [1, 1],
    }
    if (event.key === 'Enter' || event.key === ' ') onselect(drawing.id)
    else if (event.key === 'Delete' || event.key === 'Backspace') onerase(drawing)
    else if (event.key in steps) onmove(drawing, shifted(chart, points(drawing), ...steps[event.key]!))
    else return
    event.preventDefault()
    event.stopPropagation()
  }

  /** Where each drawing stands now: as kept, or as it is being moved. */
  const shapes = $derived(
    drawings.map((drawing) => {
      const moving = held?.drawing.id === drawing.id
      const at = moving ? held!.at : points(drawing)
      const pixels = at.map((p) => [view.x(indexOf(chart, p.day)), view.y(p.price)] as const)
      return { drawing, moving, pixels, on: drawing.id === selected }
    }),
  )

  function said(drawing: Drawing): string {
    if (drawing.kind === 'range')
      return `${percent(drawing.change)} · ${whole(drawing.bars)} bars${drawing.text ? ` · ${drawing.text}` : ''}`
    if (drawing.kind === 'text') return drawing.text || 'text'
    const touches = drawing.touches.length
    return `${drawing.text ? `${drawing.text} · ` : ''}${price(drawing.today)} · ${touches} touch${touches === 1 ? '' : 'es'}`
  }
</script>

<svg
  bind:this={svg}
  data-over
  class="absolute inset-0 h-full w-full overflow-hidden {tool || held
    ? 'cursor-crosshair'
    : 'pointer-events-none'}"
  style:touch-action="none"
  viewBox="0 0 {view.width} {view.height}"
  role="group"
  aria-label="Drawings on the chart"
  onpointerdown={down}
  onpointermove={move}
  onpointerup={up}
>
  <defs>
    <clipPath id="plot-{chart.symbol}">
      <rect
        x={view.plot.left}
        y={view.plot.top}
        width={view.plot.right - view.plot.left}
        height={view.plot.bottom - view.plot.top}
      />
    </clipPath>
  </defs>
  <g clip-path="url(#plot-{chart.symbol})">
    {#each shapes as { drawing, moving, pixels, on } (drawing.id)}
      <g
        role="button"
        tabindex="0"
        class="pointer-events-auto cursor-move outline-none focus-visible:[filter:drop-shadow(0_0_2px_var(--ember))]"
        aria-label="{NAMES[drawing.kind as Kind]}: {said(drawing)}"
        aria-pressed={on}
        onpointerdown={(event) => grab(event, drawing, null)}
        onkeydown={(event) => key(event, drawing)}
        onfocus={() => onselect(drawing.id)}
      >
        <DrawnShape {chart} {view} {drawing} {moving} {pixels} {on} said={said(drawing)} />
        {#if on && drawing.kind !== 'level'}
          {#each pixels as [x, y], i (i)}
            <!-- svelte-ignore a11y_no_static_element_interactions -->
            <circle
              cx={x}
              cy={y}
              r="5"
              class="cursor-grab"
              fill={paper}
              stroke={ember}
              stroke-width="1.6"
              onpointerdown={(event) => grab(event, drawing, i)}
            />
          {/each}
        {/if}
      </g>
    {/each}
    {#if tool && under}
      {@const [x, y] = [view.x(indexOf(chart, under.day)), view.y(under.price)]}
      {#if begun}
        {@const [x0, y0] = [view.x(indexOf(chart, begun.day)), view.y(begun.price)]}
        {#if tool === 'range'}
          <rect
            x={Math.min(x, x0)}
            y={Math.min(y, y0)}
            width={Math.abs(x - x0)}
            height={Math.abs(y - y0)}
            fill="none"
            stroke={ember}
            stroke-dasharray="3 3"
          />
        {:else}
          <path d="M{x0},{y0}L{x},{y}" stroke={ember} fill="none" stroke-width="1.5" />
        {/if}
      {:else if tool === 'level'}
        <path d="M{view.plot.left},{y}L{view.plot.right},{y}" stroke={ember} stroke-dasharray="6 3" />
      {/if}
      <circle cx={x} cy={y} r="4" fill="none" stroke={ember} stroke-width="1.5" />
      <text x={x + 8} y={y - 8} font-size="12" font-family={MONO} fill={ember}>{fixed(under.price, 2)}</text>
    {/if}
  </g>
</svg>
