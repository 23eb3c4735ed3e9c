<script lang="ts">
  /** Many values as dots along a line, with the book's own among them. */
  import { percent } from '$lib/format'

  interface Props {
    values: number[]
    mark: number
    low: number
    high: number
    label: string
  }
  const { values, mark, low, high, label }: Props = $props()
  const [WIDTH, HEIGHT, FLOOR] = [760, 150, 116]
  const BINS = 60
  const least = $derived(Math.min(mark, ...values))
  const most = $derived(Math.max(mark, ...values))
  const place = $derived(
    (value: number) => 16 + ((value - least) / Math.max(1e-9, most - least)) * (WIDTH - 32),
  )
  const dots = $derived.by(() => {
    const filled = new Array<number>(BINS + 1).fill(0)
    const found = values.map((value) => {
      const bin = Math.round(((value - least) / Math.max(1e-9, most - least)) * BINS)
      return { bin, up: filled[bin]!++ }
    })
    const tall = Math.max(...filled)
    const step = Math.min(6, (FLOOR - 12) / Math.max(1, tall))
    return found.map(({ bin, up }) => ({ x: 16 + (bin / BINS) * (WIDTH - 32), y: FLOOR - 3 - up * step }))
  })
</script>

<svg
  viewBox="0 0 {WIDTH} {HEIGHT}"
  class="h-full w-full"
  role="img"
  aria-label="{label}: 95% from {percent(low)} to {percent(high)}, the book {percent(mark)}"
>
  <path d="M16,{FLOOR}H{WIDTH - 16}" stroke="var(--hair)" />
  <path d="M{place(low)},{FLOOR + 4}H{place(high)}" stroke="var(--ink3)" stroke-width="3" />
  {#each dots as dot, i (i)}<circle cx={dot.x} cy={dot.y} r="2.4" fill="var(--ink3)" opacity="0.55" />{/each}
  <path d="M{place(mark)},6V{FLOOR + 8}" stroke="var(--ember)" stroke-width="2" />
  <text
    x={place(mark) + (place(mark) > WIDTH - 130 ? -6 : 6)}
    y="16"
    text-anchor={place(mark) > WIDTH - 130 ? 'end' : 'start'}
    font-size="12"
    font-family="var(--font-mono)"
    fill="var(--ember)">the book {percent(mark)}</text
  >
  <text
    x={place(low)}
    y={FLOOR + 22}
    text-anchor="middle"
    font-size="11"
    font-family="var(--font-mono)"
    fill="var(--ink2)">{percent(low)}</text
  >
  <text
    x={place(high)}
    y={FLOOR + 22}
    text-anchor="middle"
    font-size="11"
    font-family="var(--font-mono)"
    fill="var(--ink2)">{percent(high)}</text
  >
</svg>
