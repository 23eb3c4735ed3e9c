<script lang="ts">
  /** A strip of all days with hits, as tall as there were hits: a burst is seen as a burst. */
  import type { Schemas } from '$lib/api'
  import { day } from '$lib/format'

  interface Props {
    days: Schemas['DayOut'][]
    onday: (day: string) => void
  }
  const { days, onday }: Props = $props()
  const TALL = 44
  let width = $state(0)
  let over = $state<Schemas['DayOut'] | null>(null)

  const first = $derived(Date.parse(days[0]?.day ?? '2000-01-01'))
  const last = $derived(Math.max(Date.parse(days.at(-1)?.day ?? '2000-01-02'), first + 1))
  const most = $derived(Math.max(1, ...days.map((d) => d.count)))
  const marks = $derived(
    days.map((d) => ({
      d,
      x: ((Date.parse(d.day) - first) / (last - first)) * Math.max(width - 4, 1) + 2,
      tall: (d.count / most) * TALL,
    })),
  )
  const years = $derived.by(() => {
    const found: { label: string; x: number }[] = []
    for (let year = new Date(first).getUTCFullYear() + 1; year <= new Date(last).getUTCFullYear(); year++)
      found.push({
        label: String(year),
        x: ((Date.parse(`${year}-01-01`) - first) / (last - first)) * Math.max(width - 4, 1) + 2,
      })
    return found
  })

  function nearest(event: MouseEvent): Schemas['DayOut'] | null {
    let best: { d: Schemas['DayOut']; gap: number } | null = null
    for (const mark of marks) {
      const gap = Math.abs(mark.x - event.offsetX)
      if (gap < (best?.gap ?? 7)) best = { d: mark.d, gap }
    }
    return best?.d ?? null
  }
</script>

<!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_noninteractive_element_interactions -->
<div
  class="relative h-[62px] {over ? 'cursor-pointer' : ''}"
  bind:clientWidth={width}
  role="img"
  aria-label="Hits a day through time: {days.length} days with hits, at most {most} on one day"
  title={over ? `${day(over.day)}: ${over.count} hits. Click lists them.` : undefined}
  onmousemove={(event) => (over = nearest(event))}
  onmouseleave={() => (over = null)}
  onclick={(event) => {
    const found = nearest(event)
    if (found) onday(found.day)
  }}
>
  <svg class="pointer-events-none absolute inset-0 h-full w-full" aria-hidden="true">
    <path d="M0,{TALL + 2}H{width}" stroke="var(--hair)" />
    {#each years as year (year.label)}
      <text x={year.x} y={TALL + 15} font-size="10.5" fill="var(--ink3)" font-family="var(--font-mono)"
        >{year.label}</text
      >
    {/each}
    <path
      d={marks.map((m) => `M${m.x.toFixed(1)},${TALL + 2}v${(-m.tall).toFixed(1)}`).join('')}
      stroke="var(--ember)"
      stroke-opacity="0.75"
    />
  </svg>
</div>
