<script lang="ts">
  /** Chart patterns over the bars: their points, and at the right end the prices that confirm and end them. */
  import type { Chart } from '$lib/api'
  import { price } from '$lib/format'
  import { MONO } from './echarts'
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

  const drawn = $derived(
    patterns.map((p) => {
      const points = p.points.map((at) => [view.x(bar(at.day)), view.y(at.price)] as const)
      const last = points.at(-1)!
      return {
        ...p,
        path: points.map(([x, y], i) => `${i ? 'L' : 'M'}${x.toFixed(1)},${y.toFixed(1)}`).join(''),
        spots: points,
        from: last[0],
        levels: [
          { word: 'trigger', value: p.trigger, y: view.y(p.trigger) },
          { word: 'invalid', value: p.invalid, y: view.y(p.invalid) },
        ],
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
          <path d={p.path} fill="none" stroke="var(--ember)" stroke-width="1.3" stroke-linejoin="round" />
          <path d={p.path} fill="none" stroke="transparent" stroke-width="9" style="pointer-events:stroke"
            ><title
              >{p.name}, {p.state}: visible for {p.age} bars, quality {p.quality}, trigger {price(p.trigger)},
              invalid {price(p.invalid)}, target {price(p.target)}</title
            ></path
          >
          {#each p.spots as [x, y], n (n)}<circle
              cx={x}
              cy={y}
              r="3"
              fill="var(--paper)"
              stroke="var(--ember)"
            />{/each}
          {#each p.levels as level (level.word)}
            {#if inside(level.y)}
              <path
                d="M{p.from},{level.y}H{view.plot.right}"
                stroke="var(--ember)"
                stroke-dasharray={level.word === 'trigger' ? '6 3' : '2 4'}
              />
              <text
                x={view.plot.right - 4}
                y={level.y - 4}
                text-anchor="end"
                font-size="11"
                font-family={MONO}
                fill="var(--ember)"
                stroke="var(--paper)"
                stroke-width="3"
                paint-order="stroke">{level.word} {price(level.value)}</text
              >
            {/if}
          {/each}
        </g>
      {/each}
    </g>
  </svg>
{/if}
