<script lang="ts">
  /** What was bought and sold, on the chart: each fill where and when it was, and the way from the first to the last. */
  import type { Chart } from '$lib/api'
  import type { View } from '$lib/charts/PriceChart.svelte'
  import { day, price, whole } from '$lib/format'
  import type { Position } from '$lib/desk'

  const { chart, view, fills }: { chart: Chart; view: View; fills: Position['fills'] } = $props()
  const IN = new Set(['buy', 'short'])
  const WORDS: Record<string, string> = {
    buy: 'bought',
    sell: 'sold',
    short: 'sold short',
    cover: 'bought back',
  }
  const placed = $derived(
    fills.flatMap((fill) => {
      const at = chart.days.findIndex((one) => one >= fill.moment.slice(0, 10))
      if (at < 0) return []
      const [x, y] = [view.x(at), view.y(fill.on_scale)]
      return x >= view.plot.left &&
        x <= view.plot.right &&
        y >= view.plot.top - 4 &&
        y <= view.plot.bottom + 4
        ? [{ ...fill, x, y, inward: IN.has(fill.action) }]
        : []
    }),
  )
  const entries = $derived(placed.filter((one) => one.inward))
  const short = $derived(fills[0]?.action === 'short')
</script>

<svg
  data-over
  class="pointer-events-none absolute inset-0 h-full w-full"
  viewBox="0 0 {view.width} {view.height}"
  role="group"
  aria-label="Fills on the chart"
>
  {#each placed as one (one.id)}
    {@const from = entries[0]}
    {#if !one.inward && from}
      {@const won = one.on_scale > from.on_scale !== short}
      <line
        x1={from.x}
        y1={from.y}
        x2={one.x}
        y2={one.y}
        stroke={won ? 'var(--gain)' : 'var(--loss)'}
        stroke-width="1.2"
        stroke-dasharray="2 3"
      />
    {/if}
    <g class="pointer-events-auto">
      <title
        >{WORDS[one.action]} {whole(one.shares)} at {price(one.price)}, {day(one.moment.slice(0, 10))}</title
      >
      <rect
        x={one.x - 4}
        y={one.y - 4}
        width="8"
        height="8"
        transform="rotate(45 {one.x} {one.y})"
        fill={one.inward ? 'var(--paper)' : 'var(--ink)'}
        stroke="var(--ink)"
        stroke-width="1.6"
      />
    </g>
  {/each}
</svg>
