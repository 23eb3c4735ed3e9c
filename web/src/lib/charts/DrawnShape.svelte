<script lang="ts">
  /** One drawing: a line, a level, a range or a text, with what is said of it. */
  import type { Chart, Drawing } from '$lib/api'
  import { colour, theme } from '$lib/theme.svelte'
  import { indexOf, path } from './drawing'
  import { MONO } from './echarts'
  import type { View } from './PriceChart.svelte'

  interface Props {
    chart: Chart
    view: View
    drawing: Drawing
    moving: boolean
    pixels: (readonly [number, number])[]
    on: boolean
    said: string
  }
  const { chart, view, drawing, moving, pixels, on, said }: Props = $props()
  // Literal colours: the layer is also put into pictures, where the page's variables are not known.
  const stroke = $derived((void theme.now, colour(on ? 'ember' : 'ink2')))
  const paper = $derived((void theme.now, colour('paper')))

  function edge(value: number | null): number {
    return value === null ? 0 : Math.min(Math.max(view.y(value), view.plot.top + 10), view.plot.bottom - 4)
  }
</script>

{#if drawing.kind === 'line' || drawing.kind === 'level'}
  {@const line = moving
    ? drawing.kind === 'level'
      ? `M${view.plot.left},${pixels[0]![1]}L${view.plot.right},${pixels[0]![1]}`
      : `M${pixels.map((p) => p.join(',')).join('L')}`
    : path(chart, view, drawing.values)}
  <path d={line} fill="none" stroke="transparent" stroke-width="11" />
  <path
    d={line}
    fill="none"
    {stroke}
    stroke-width={on ? 1.8 : 1.3}
    stroke-dasharray={drawing.kind === 'level' ? '6 3' : undefined}
  />
  {#if !moving}
    {#each drawing.touches as day (day)}
      {@const i = indexOf(chart, day)}
      {@const at = drawing.values[drawing.values.length - chart.days.length + i]}
      {#if at}<circle cx={view.x(i)} cy={view.y(at)} r="2.6" fill={paper} {stroke} />{/if}
    {/each}
  {/if}
  <text
    x={view.plot.right - 4}
    y={edge(moving ? drawing.points[0]!.price : drawing.today) + (drawing.support ? 14 : -6)}
    text-anchor="end"
    paint-order="stroke"
    stroke={paper}
    stroke-width="3"
    font-size="12"
    font-family={MONO}
    fill={stroke}>{said}</text
  >
{:else if drawing.kind === 'range' && pixels.length === 2}
  {@const [a, b] = [pixels[0]!, pixels[1]!]}
  <rect
    x={Math.min(a[0], b[0])}
    y={Math.min(a[1], b[1])}
    width={Math.abs(a[0] - b[0])}
    height={Math.abs(a[1] - b[1])}
    fill={stroke}
    fill-opacity="0.08"
    {stroke}
    stroke-dasharray="3 3"
  />
  <text
    x={Math.min(a[0], b[0]) + 4}
    y={Math.min(a[1], b[1]) - 5}
    font-size="12"
    font-family={MONO}
    fill={stroke}>{said}</text
  >
{:else if pixels[0]}
  <circle cx={pixels[0][0]} cy={pixels[0][1]} r="2.5" fill={stroke} />
  <text x={pixels[0][0] + 6} y={pixels[0][1] - 5} font-size="13" fill={stroke}>{said}</text>
{/if}
