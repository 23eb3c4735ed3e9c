<script lang="ts">
  /** A position on one line: stop, entry, now and the last target; what lies between entry and now is filled. */
  import { price } from './format'
  import type { Rail } from './desk'

  const { rail }: { rail: Rail } = $props()
  const WIDTH = 190
  const up = $derived(rail.side === 'long' ? 1 : -1)
  const marks = $derived([
    ...(rail.stop === null ? [] : [{ at: rail.stop, tint: 'var(--loss)', what: 'stop' }]),
    { at: rail.entry, tint: 'var(--ink)', what: 'entry' },
    ...rail.targets.map((at) => ({ at, tint: 'var(--gain)', what: 'target' })),
  ])
  const all = $derived([...marks.map((one) => one.at), rail.close].map((at) => at * up))
  const [low, high] = $derived([Math.min(...all), Math.max(...all)])
  const x = (at: number) => 4 + ((at * up - low) / (high - low || 1)) * (WIDTH - 8)
  const ahead = $derived((rail.close - rail.entry) * up >= 0)
  const words = $derived(
    [...marks.map((one) => `${one.what} ${price(one.at)}`), `now ${price(rail.close)}`].join(', '),
  )
</script>

<svg
  width={WIDTH}
  height="16"
  viewBox="0 0 {WIDTH} 16"
  role="img"
  aria-label={words}
  class="inline-block align-middle"
>
  <title>{words}</title>
  <line x1="4" x2={WIDTH - 4} y1="8" y2="8" stroke="var(--hair)" stroke-width="2" />
  <rect
    x={Math.min(x(rail.entry), x(rail.close))}
    width={Math.abs(x(rail.entry) - x(rail.close))}
    y="5"
    height="6"
    fill={ahead ? 'var(--gain)' : 'var(--loss)'}
    opacity="0.55"
  />
  {#each marks as one, i (i)}
    <line
      x1={x(one.at)}
      x2={x(one.at)}
      y1={one.what === 'entry' ? 3 : 2}
      y2={one.what === 'entry' ? 13 : 14}
      stroke={one.tint}
      stroke-width="2"
    />
  {/each}
  <circle cx={x(rail.close)} cy="8" r="3.5" fill="var(--ink)" />
</svg>
