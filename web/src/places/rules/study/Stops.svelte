<script lang="ts">
  /** How deep the hits went before they ended where they ended, and what a stop would have made of them. */
  import type { Schemas } from '$lib/api'
  import { hits, percent, whole } from '$lib/format'
  import NumberField from '$lib/NumberField.svelte'

  interface Props {
    horizon: number
    dots: Schemas['DotOut'][]
    /** What each stop would have made of the hits, half a percent apart. */
    stops: Schemas['StopOut'][]
    total: { mean: number | null; win_rate: number | null }
  }
  const { horizon, dots, stops, total }: Props = $props()
  const TALL = 210
  const LEFT = 46
  let width = $state(0)
  let stop = $state(6)
  const found = $derived(
    stops.reduce<Schemas['StopOut'] | null>(
      (best, s) => (best && Math.abs(best.stop - stop / 100) <= Math.abs(s.stop - stop / 100) ? best : s),
      null,
    ),
  )

  // The picture leaves the outermost hundredth out; the figures do not.
  const edge = (values: number[], share: number) =>
    [...values].sort((a, b) => a - b)[Math.floor((values.length - 1) * share)] ?? 0
  const deepest = $derived(
    Math.min(
      edge(
        dots.map((d) => d.adverse),
        0.01,
      ),
      -0.01,
    ),
  )
  const low = $derived(
    Math.min(
      edge(
        dots.map((d) => d.end),
        0.01,
      ),
      -0.01,
    ),
  )
  const high = $derived(
    Math.max(
      edge(
        dots.map((d) => d.end),
        0.99,
      ),
      0.01,
    ),
  )
  const x = $derived((v: number) => LEFT + (1 - v / deepest) * Math.max(width - LEFT - 8, 1))
  const y = $derived((v: number) => 6 + ((high - v) / (high - low)) * (TALL - 26))
  const drawn = $derived(
    dots
      .filter((d) => d.adverse >= deepest && d.end >= low && d.end <= high)
      .map((d) => `M${x(d.adverse).toFixed(1)},${y(d.end).toFixed(1)}h0`)
      .join(''),
  )
  const at = $derived(x(Math.max(-stop / 100, deepest)))
</script>

<h3 class="mt-4 font-title text-[16px]">How deep on the way, and what a stop would have done</h3>
<div
  class="relative"
  style:height="{TALL}px"
  bind:clientWidth={width}
  role="img"
  aria-label="The worst of each hit on the way against its end at {horizon} bars"
>
  <svg class="absolute inset-0 h-full w-full" aria-hidden="true">
    <rect x={LEFT} y="6" width={Math.max(at - LEFT, 0)} height={TALL - 26} fill="var(--glow)" opacity="0.6" />
    <path d="M{LEFT},{y(0)}H{width - 8}" stroke="var(--hair)" />
    <path d={drawn} stroke="var(--ink2)" stroke-width="2.6" stroke-linecap="round" stroke-opacity="0.45" />
    <path d="M{at},6V{TALL - 20}" stroke="var(--ember)" stroke-width="1.5" />
    {#each [high, 0, low] as v (v)}
      <text
        x={LEFT - 6}
        y={y(v) + 4}
        text-anchor="end"
        font-size="11"
        font-family="var(--font-mono)"
        fill="var(--ink3)">{percent(v, 0)}</text
      >
    {/each}
    {#each [deepest, deepest / 2, 0] as v (v)}
      <text
        x={x(v)}
        y={TALL - 6}
        text-anchor={v === 0 ? 'end' : v === deepest ? 'start' : 'middle'}
        font-size="11"
        font-family="var(--font-mono)"
        fill="var(--ink3)">{percent(v, 0)}</text
      >
    {/each}
  </svg>
</div>
<label class="mt-1 flex items-center gap-3 text-[13px]"
  >With a stop at
  <NumberField
    class="num field w-16 py-0"
    label="With a stop at"
    min={0.5}
    max={40}
    step={0.5}
    live
    value={stop}
    onvalue={(value) => value !== null && (stop = value)}
  />%
  <input
    class="flex-1 accent-[var(--ember)]"
    type="range"
    aria-label="Stop in percent"
    min="0.5"
    max={Math.min(40, Math.max(2, Math.ceil(-deepest * 100)))}
    step="0.5"
    bind:value={stop}
  /></label
>
{#if found}
  <p class="text-[13px] text-ink2" aria-live="polite">
    {percent(found.stopped, 0, false)} of {hits(found.count)} would have been stopped: mean {percent(
      found.mean,
      2,
    )}
    instead of {percent(total.mean, 2)}, won {percent(found.win_rate, 0, false)} instead of {percent(
      total.win_rate,
      0,
      false,
    )}. {whole(found.saved)} were spared a worse end, {whole(found.lost)} lost a better one. Filled at the stop
    itself; a gap fills worse.
  </p>
{/if}
