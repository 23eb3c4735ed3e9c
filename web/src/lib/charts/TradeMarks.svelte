<script lang="ts">
  /** A trade over its bars: the signal as a dotted line, the bars it was held, the entry as a ring, each exit as a square. */
  import type { View } from './PriceChart.svelte'

  interface Point {
    x: number
    y: number
    text: string
  }
  interface Props {
    view: View
    /** The place of the signal's bar; negative where it is not on the chart. */
    signal: number
    entry: Point | null
    exits: Point[]
    /** The exit up to which the bars count as held. */
    until: Point | null
  }
  const { view, signal, entry, exits, until }: Props = $props()
</script>

{#snippet label(point: Point, dx: number, dy: number, anchor: 'start' | 'end')}
  <text
    x={view.x(point.x) + dx}
    y={view.y(point.y) + dy}
    text-anchor={anchor}
    font-size="12"
    font-family="var(--font-mono)"
    stroke="var(--paper)"
    stroke-width="3"
    paint-order="stroke"
    fill="var(--ember)">{point.text}</text
  >
{/snippet}

{#if entry}
  {@const left = view.x(entry.x)}
  <rect
    x={left - 3}
    y={view.plot.top}
    width={Math.max((until ? view.x(until.x) : left) - left + 6, 6)}
    height={view.plot.bottom - view.plot.top}
    fill="var(--glow)"
    opacity="0.2"
  />
{/if}
{#if signal >= 0}
  <path
    d="M{view.x(signal)},{view.plot.top}V{view.plot.bottom}"
    stroke="var(--ember)"
    stroke-dasharray="2 4"
  />
{/if}
{#if entry}
  <circle
    cx={view.x(entry.x)}
    cy={view.y(entry.y)}
    r="4.5"
    fill="var(--paper)"
    stroke="var(--ember)"
    stroke-width="2"
  />
  {@render label(entry, -8, -8, 'end')}
{/if}
{#each exits as exit, i (i)}
  <rect x={view.x(exit.x) - 4} y={view.y(exit.y) - 4} width="8" height="8" fill="var(--ember)" />
  {@render label(exit, 7, -7, 'start')}
{/each}
