<script lang="ts">
  /** The instrument's whole life as one line, with a notch for each day the rule hit it. */
  import type { Chart } from '$lib/api'
  import { day } from '$lib/format'
  import { market, standOn } from '$lib/market.svelte'

  const { data }: { data: Chart } = $props()
  let width = $state(0)
  let canvasOver = $state<string | null>(null)
  const first = $derived(Date.parse(data.first_day ?? data.days[0] ?? '2000-01-01'))
  const last = $derived(Date.parse(data.days.at(-1) ?? '2000-01-02'))
  const x = (on: string) =>
    ((Date.parse(on) - first) / Math.max(last - first, 1)) * Math.max(width - 8, 1) + 4
  const notches = $derived(data.past.map((on) => ({ on, x: x(on) })))
  const shownFrom = $derived(data.days[0] ? x(data.days[0]) : 0)
  const years = $derived.by(() => {
    const found: { label: string; x: number }[] = []
    for (let year = new Date(first).getUTCFullYear() + 1; year <= new Date(last).getUTCFullYear(); year++)
      found.push({ label: String(year), x: x(`${year}-01-01`) })
    return found
  })

  function nearest(event: MouseEvent): string | null {
    const at = event.offsetX
    let best: { on: string; gap: number } | null = null
    for (const notch of notches) {
      const gap = Math.abs(notch.x - at)
      if (gap < (best?.gap ?? 8)) best = { on: notch.on, gap }
    }
    return best?.on ?? null
  }

  /** The first day of the run of hits before, or after, the one that is stood on. */
  function step(by: number): void {
    const days = data.past
    const starts = days.filter(
      (_, i) => i === 0 || Date.parse(days[i]!) - Date.parse(days[i - 1]!) > 5 * 864e5,
    )
    const here = market.asOf ?? data.days.at(-1)!
    const to = by < 0 ? starts.findLast((on) => on < here) : starts.find((on) => on > here)
    if (to) standOn(to)
  }
</script>

<div class="flex shrink-0 items-center gap-2 border-t border-hair px-4 text-[12px] text-ink2">
  <button
    class="link"
    title="Stand on the start of the run of hits before (,)"
    aria-label="Stand on the hit before"
    disabled={!data.past.length}
    onclick={() => step(-1)}>◂</button
  >
  <span class="num shrink-0 text-left"
    >{data.past.length} hit{data.past.length === 1 ? '' : 's'} since {(data.first_day ?? '').slice(
      0,
      4,
    )}</span
  >
  <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_noninteractive_element_interactions -->
  <div
    class="relative h-[26px] min-w-0 flex-1 {canvasOver ? 'cursor-pointer' : ''}"
    bind:clientWidth={width}
    role="img"
    aria-label="Days on which the rule hit {data.symbol}: {data.past.length} of its history"
    title={canvasOver ? `hit on ${day(canvasOver)}: click to stand there` : undefined}
    onmousemove={(event) => (canvasOver = nearest(event))}
    onmouseleave={() => (canvasOver = null)}
    onclick={(event) => {
      const to = nearest(event)
      if (to) standOn(to)
    }}
  >
    <svg class="pointer-events-none absolute inset-0 h-full w-full" aria-hidden="true">
      <rect x={shownFrom} y="8" width={Math.max(0, width - 4 - shownFrom)} height="8" fill="var(--paper2)" />
      <path d="M4,16H{Math.max(width - 4, 4)}" stroke="var(--hair)" />
      {#each years as year (year.label)}
        <path d="M{year.x},14v4" stroke="var(--ink3)" />
        {#if width / Math.max(years.length, 1) > 34}<text
            x={year.x + 2}
            y="25"
            font-size="9.5"
            fill="var(--ink3)"
            font-family="var(--font-mono)">{year.label}</text
          >{/if}
      {/each}
      <path
        d={notches.map((n) => `M${n.x.toFixed(1)},5v11`).join('')}
        stroke="var(--ember)"
        stroke-width="1"
      />
      {#if canvasOver}<path d="M{x(canvasOver)},1v16" stroke="var(--ember)" stroke-width="2.5" />{/if}
    </svg>
  </div>
</div>

<svelte:window
  onkeydown={(event) => {
    if (
      (event.target as HTMLElement).closest('input:not([type=checkbox]), textarea, select, .cm-editor') ||
      event.ctrlKey ||
      event.metaKey
    )
      return
    if (event.key === ',') step(-1)
  }}
/>
