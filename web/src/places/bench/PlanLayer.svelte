<script lang="ts">
  /** The plan's levels on the chart, each dragged or moved by keys, and the rail in R beside them. */
  import { frozen, keptApart } from '$lib/charts/scale'
  import type { View } from '$lib/charts/PriceChart.svelte'
  import { fixed, percent, price } from '$lib/format'
  import type { Plan } from '$lib/desk'

  type Name = 'entry' | 'stop' | `target${number}`
  interface Props {
    view: View
    plan: Plan
    levels: { entry: number; stop: number; targets?: { price: number; part: number }[] }
    /** The entry of what is held is what was paid. */
    held?: boolean
    /** Nothing of it is saved: the levels are drawn as what they are, a proposal. */
    proposed?: boolean
    /** A level off the scale is to come into view. */
    onreveal: (level: number) => void
    onentry: (level: number) => void
    onstop: (level: number) => void
    ontarget: (nth: number, level: number) => void
  }
  const {
    view,
    plan,
    levels,
    held: fixedEntry = false,
    proposed = false,
    onreveal,
    onentry,
    onstop,
    ontarget,
  }: Props = $props()
  function onmove(name: Name, level: number): void {
    if (name === 'entry') onentry(level)
    else if (name === 'stop') onstop(level)
    else ontarget(Number(name.slice(6)), level)
  }
  let svg: SVGSVGElement
  let held = $state<Name | null>(null)
  const up = $derived(plan.plan.side === 'long' ? 1 : -1)
  const risk = $derived((levels.entry - levels.stop) * up)
  interface Row {
    name: Name
    said: string
    level: number
    tint: string
    why: string
  }
  const rows = $derived.by(() => {
    const { plan: now, proposal } = plan
    const why = (own: number | null, proposed: number | null, said: string) => (own === proposed ? said : '')
    const found: Row[] = [
      {
        name: 'entry',
        said: 'entry',
        level: levels.entry,
        tint: 'var(--ink)',
        why: fixedEntry ? 'paid' : why(now.entry, proposal.entry, proposal.entry_why),
      },
      {
        name: 'stop',
        said: 'stop',
        level: levels.stop,
        tint: 'var(--loss)',
        why: why(now.stop, proposal.stop, proposal.stop_why),
      },
    ]
    const all = levels.targets ?? []
    all.forEach(({ price: level, part }, nth) => {
      // It was measured from that entry and that stop.
      const proposed = now.entry === proposal.entry && now.stop === proposal.stop ? proposal.target : null
      found.push({
        name: `target${nth}`,
        said: all.length > 1 ? `target ${nth + 1}` : 'target',
        level,
        tint: 'var(--gain)',
        why: why(level, proposed, proposal.target_why) || (part < 1 ? `${percent(part, 0, false)} out` : ''),
      })
    })
    return found
  })
  const marks = $derived(
    risk > 0
      ? [-1, 1, 2, 3]
          .map((r) => ({ r, y: view.y(levels.entry + up * r * risk) }))
          .filter((mark) => mark.y > view.plot.top + 6 && mark.y < view.plot.bottom - 4)
      : [],
  )
  /** Where the levels' names stand: over their lines, or under them where another's is in the way. */
  const names = $derived.by(() => {
    // Those beyond an edge in their order.
    const over = rows.map((row) => placed(row.level) - 5 + view.y(row.level) / 1e6)
    const apart = (heights: number[]) => keptApart(heights, 13, view.plot.bottom)
    const pushed = apart(over)
    return apart(over.map((y, i) => (pushed[i]! > y + 0.5 ? y + 17 : y)))
  })
  /** A reason stands under its line, where no other name does. */
  const hasRoom = (nth: number, y: number) =>
    names.every((at, i) => i === nth || at < y || at > y + 24) && names[nth]! < y
  const left = $derived(view.plot.left + (view.plot.right - view.plot.left) * 0.62)
  const round = (value: number) => Number(value.toFixed(value >= 1 ? 2 : 4))

  const placed = (level: number) =>
    Math.min(Math.max(view.y(level), view.plot.top + 14), view.plot.bottom - 6)
  const offScale = (level: number) => placed(level) !== view.y(level)

  /** Where a drag began: by what the pointer has moved since, on the scale as it was then, the level moves. */
  let began: { pointer: number; y: number; price: (y: number) => number } | null = null

  function grab(event: PointerEvent, name: Name, level: number): void {
    if (fixedEntry && name === 'entry') return
    event.preventDefault()
    event.stopPropagation()
    ;(event.currentTarget as SVGElement).focus()
    if (offScale(level)) return onreveal(level)
    held = name
    const { top, bottom } = view.plot
    began = { pointer: event.clientY, y: view.y(level), price: frozen(view.price, top, bottom) }
    svg.setPointerCapture(event.pointerId)
  }

  function move(event: PointerEvent): void {
    if (!held || !began) return
    const level = round(began.price(began.y + event.clientY - began.pointer))
    if (level > 0) onmove(held, level)
  }

  function drop(): void {
    held = began = null
  }

  function key(event: KeyboardEvent, name: Name, level: number): void {
    if (fixedEntry && name === 'entry') return
    const by = { ArrowUp: 1, ArrowDown: -1, PageUp: 10, PageDown: -10 }[event.key]
    if (!by) return
    event.preventDefault()
    event.stopPropagation()
    if (offScale(level)) return onreveal(level)
    const tick = level >= 1 ? 0.01 : 0.0001
    onmove(name, Math.max(tick, round(level + by * tick)))
  }
</script>

<svg
  bind:this={svg}
  class="pointer-events-none absolute inset-0 h-full w-full"
  viewBox="0 0 {view.width} {view.height}"
  role="group"
  aria-label="The plan on the chart"
  onpointermove={move}
  onpointerup={drop}
  onpointercancel={drop}
>
  {#each marks as mark (mark.r)}
    <line x1={view.plot.right - 5} x2={view.plot.right} y1={mark.y} y2={mark.y} stroke="var(--ink3)" />
    <text
      class="halo"
      x={view.plot.right - 9}
      y={mark.y + 3.5}
      text-anchor="end"
      font-size="10"
      fill="var(--ink3)"
      font-family="var(--font-mono)">{mark.r > 0 ? '+' : '−'}{Math.abs(mark.r)} R</text
    >
  {/each}
  {#each rows as { name, said, level, tint, why }, nth (name)}
    {@const true_ = view.y(level)}
    {@const y = placed(level)}
    {@const off = y === true_ ? '' : true_ < y ? ' ↑' : ' ↓'}
    <g
      role="slider"
      tabindex="0"
      class="pointer-events-auto cursor-row-resize outline-none focus-visible:[filter:drop-shadow(0_0_2px_var(--ember))]"
      aria-label="The plan’s {said}"
      aria-disabled={fixedEntry && name === 'entry'}
      aria-orientation="vertical"
      aria-valuenow={level}
      aria-valuetext={price(level)}
      style:touch-action="none"
      onkeydown={(event) => key(event, name, level)}
      onpointerdown={(event) => grab(event, name, level)}
    >
      <rect x={left} y={y - 8} width={view.plot.right - left} height="16" fill="transparent" />
      <line
        x1={left}
        x2={view.plot.right}
        y1={y}
        y2={y}
        stroke={tint}
        stroke-width="1.4"
        stroke-dasharray={proposed && !(fixedEntry && name === 'entry') ? '5 4' : undefined}
      />
      <circle cx={left} cy={y} r="4.5" fill={tint} />
      <text
        class="halo"
        x={left + 9}
        y={names[nth]}
        font-size="11"
        font-weight="600"
        fill={tint}
        font-family="var(--font-mono)"
        >{proposed && !(fixedEntry && name === 'entry') ? `proposed ${said}` : said}
        {price(level)}{off}{name.startsWith('target') && risk > 0
          ? `, ${fixed(((level - levels.entry) * up) / risk, 1)} R`
          : ''}</text
      >
      {#if why && hasRoom(nth, y)}<text
          class="halo"
          x={left + 9}
          y={y + 13}
          font-size="10"
          fill="var(--ink3)"
          font-family="var(--font-mono)">{why}</text
        >{/if}
    </g>
  {/each}
</svg>

<style>
  /* Read over bars, without a box that would hide them. */
  .halo {
    paint-order: stroke;
    stroke: var(--paper);
    stroke-width: 3px;
    stroke-linejoin: round;
  }
</style>
