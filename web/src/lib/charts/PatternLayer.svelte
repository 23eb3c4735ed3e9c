<script lang="ts" module>
  import type { Chart } from '$lib/api'
  import { price } from '$lib/format'
  import type { Mark } from './price-option'

  /** The prices that confirm and end the patterns, as they are named at the right end. */
  export function marksOf(patterns: Chart['patterns']): Mark[] {
    return patterns.flatMap((p) => [
      { label: `trigger ${price(p.trigger)}`, value: p.trigger },
      { label: `invalid ${price(p.invalid)}`, value: p.invalid },
    ])
  }
</script>

<script lang="ts">
  /** Chart patterns over the bars: their points, and the prices that confirm and end them. */
  import { percent } from '$lib/format'
  import type { View } from './PriceChart.svelte'

  interface Props {
    chart: Chart
    view: View
    patterns?: Chart['patterns']
  }
  const { chart, view, patterns = chart.patterns }: Props = $props()

  /** The bar of the chart that a day lies in. */
  function bar(day: string): number {
    const found = chart.days.findIndex((d) => d >= day)
    return found < 0 ? chart.days.length - 1 : found
  }

  type Pattern = Chart['patterns'][number]

  function place(points: Pattern['points']): (readonly [number, number])[] {
    return points.map((at) => [view.x(bar(at.day)), view.y(at.price)] as const)
  }

  function path(points: (readonly [number, number])[]): string {
    return points.map(([x, y], i) => `${i ? 'L' : 'M'}${x.toFixed(1)},${y.toFixed(1)}`).join('')
  }

  function told(p: Pattern): string {
    const part = (q: Pattern['parts'][number]) =>
      `${q.name} ${q.price ? price(q.value) : q.name.endsWith('touches') ? q.value : percent(q.value, 2)}`
    return [
      `${p.name}, ${p.state}: visible for ${p.age} bars, quality ${p.quality}`,
      `trigger ${price(p.trigger)}, invalid ${price(p.invalid)}, target ${price(p.target)}`,
      ...(p.parts.length ? [p.parts.map(part).join(', ')] : []),
    ].join('\n')
  }

  /** Trigger and invalidation at the right end; where a line of the pattern is the one or the other, the line is not drawn twice. */
  function levels(p: Pattern, from: number) {
    const ends = p.strokes.map((s) => s.points.at(-1)?.price ?? NaN)
    return [
      { word: 'trigger', value: p.trigger },
      { word: 'invalid', value: p.invalid },
    ].map((level) => ({
      ...level,
      from,
      own: ends.some((end) => Math.abs(end / level.value - 1) < 1e-5),
      y: view.y(level.value),
    }))
  }

  const drawn = $derived(
    patterns.map((p) => {
      const spots = place(p.points)
      const strokes = p.strokes.map((s) => path(place(s.points)))
      const from = spots.at(-1)?.[0] ?? view.plot.left
      return {
        ...p,
        spots,
        lines: [...(p.joined ? [path(spots)] : []), ...strokes],
        told: told(p),
        levels: levels(p, from),
      }
    }),
  )
  const inside = (y: number) => y > view.plot.top && y < view.plot.bottom
</script>

{#if drawn.length}
  <svg
    data-over
    class="pointer-events-none absolute inset-0 h-full w-full"
    viewBox="0 0 {view.width} {view.height}"
    role="img"
    aria-label="Patterns: {drawn.map((p) => `${p.name}, ${p.state}`).join('; ')}"
  >
    <clipPath id="pattern-plot"
      ><rect
        x={view.plot.left}
        y={view.plot.top}
        width={Math.max(view.plot.right - view.plot.left, 0)}
        height={Math.max(view.plot.bottom - view.plot.top, 0)}
      /></clipPath
    >
    <g clip-path="url(#pattern-plot)">
      {#each drawn as p, i (i)}
        {@const dim = p.state === 'failed' || p.state === 'expired'}
        <g opacity={dim ? 0.45 : 1}>
          {#each p.lines as line, n (n)}
            <path d={line} fill="none" stroke="var(--ember)" stroke-width="1.3" stroke-linejoin="round" />
            <path d={line} fill="none" stroke="transparent" stroke-width="9" style="pointer-events:stroke"
              ><title>{p.told}</title></path
            >
          {/each}
          {#each p.spots as [x, y], n (n)}<circle
              cx={x}
              cy={y}
              r="3"
              fill="var(--paper)"
              stroke="var(--ember)"
            />{/each}
          {#each p.levels as level (level.word)}
            {#if inside(level.y)}
              {#if !level.own}<path
                  d="M{level.from},{level.y}H{view.plot.right}"
                  stroke="var(--ember)"
                  stroke-dasharray={level.word === 'trigger' ? '6 3' : '2 4'}
                />{/if}
            {/if}
          {/each}
        </g>
      {/each}
    </g>
  </svg>
{/if}
