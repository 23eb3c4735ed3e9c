<script lang="ts">
  /** A strip of all days with hits, as tall as there were hits: a burst is seen as a burst. */
  import type { Schemas } from '$lib/api'
  import { nearest, timeline } from '$lib/charts/timeline'
  import { day, hits } from '$lib/format'

  interface Props {
    days: Schemas['DayOut'][]
    onday: (day: string) => void
  }
  const { days, onday }: Props = $props()
  const TALL = 44
  let width = $state(0)
  let over = $state<Schemas['DayOut'] | null>(null)

  const line = $derived(timeline(days[0]?.day ?? '2000-01-01', days.at(-1)?.day ?? '2000-01-01', width, 2))
  const most = $derived(Math.max(1, ...days.map((d) => d.count)))
  const marks = $derived(days.map((d) => ({ ...d, x: line.x(d.day), tall: (d.count / most) * TALL })))
  const busiest = $derived(
    [...days].sort((a, b) => b.count - a.count || (a.day < b.day ? 1 : -1)).slice(0, 5),
  )
</script>

<!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_noninteractive_element_interactions -->
<div
  class="relative h-[62px] {over ? 'cursor-pointer' : ''}"
  bind:clientWidth={width}
  role="img"
  aria-label="Hits a day through time: {days.length} days with hits, at most {most} on one day"
  title={over ? `${day(over.day)}: ${hits(over.count)}. Click lists them.` : undefined}
  onmousemove={(event) => (over = nearest(marks, event.offsetX, 7))}
  onmouseleave={() => (over = null)}
  onclick={(event) => {
    const found = nearest(marks, event.offsetX, 7)
    if (found) onday(found.day)
  }}
>
  <svg class="pointer-events-none absolute inset-0 h-full w-full" aria-hidden="true">
    <path d="M0,{TALL + 2}H{width}" stroke="var(--hair)" />
    {#each line.years as year (year.label)}
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
<p class="text-[13px] text-ink2">
  Busiest:
  {#each busiest as d, i (d.day)}{i ? ', ' : ''}<button
      class="underline decoration-hair underline-offset-3 hover:text-ink"
      title="List that day’s hits"
      onclick={() => onday(d.day)}>{d.count} on {day(d.day)}</button
    >{/each}
</p>
