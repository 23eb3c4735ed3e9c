<script lang="ts">
  /** The instrument's whole life as one line, with a notch for each day the rule hit it. */
  import type { Chart } from '$lib/api'
  import { commandIn } from '$lib/commands'
  import { nearest, timeline } from '$lib/charts/timeline'
  import { moment } from '$lib/format'
  import { market, standOn } from '$lib/market.svelte'

  const { data }: { data: Chart } = $props()
  let width = $state(0)
  let over = $state<string | null>(null)
  const last = $derived(data.days.at(-1) ?? '2000-01-01')
  const line = $derived(timeline(data.first_day ?? last, last, width, 4))
  const notches = $derived(data.past.map((on) => ({ on, x: line.x(on) })))
  const shownFrom = $derived(data.days[0] ? line.x(data.days[0]) : 0)
  const under = (event: MouseEvent) => nearest(notches, event.offsetX, 8)?.on ?? null

  /** Stands on the first day of the latest run of hits that began before the day stood on. */
  function before(): void {
    const here = market.asOf ?? last
    const to = data.fresh.findLast((on) => on.slice(0, 10) < here)
    if (to) standOn(to.slice(0, 10))
  }
</script>

<div class="flex shrink-0 items-center gap-2 border-t border-hair px-4 text-[12px] text-ink2">
  <button
    class="link"
    title="Previous hits (,)"
    aria-label="Stand on the hit before"
    disabled={!data.fresh.length}
    onclick={before}>◂</button
  >
  <span class="num shrink-0 text-left"
    >{data.past.length} hit{data.past.length === 1 ? '' : 's'} since {(data.first_day ?? '').slice(
      0,
      4,
    )}</span
  >
  <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_noninteractive_element_interactions -->
  <div
    class="relative h-[26px] min-w-0 flex-1 {over ? 'cursor-pointer' : ''}"
    bind:clientWidth={width}
    role="img"
    aria-label="Days on which the rule hit {data.symbol}: {data.past.length} of its history"
    title={over ? `hit on ${moment(over)}: click to stand there` : undefined}
    onmousemove={(event) => (over = under(event))}
    onmouseleave={() => (over = null)}
    onclick={(event) => {
      const to = under(event)
      if (to) standOn(to.slice(0, 10))
    }}
  >
    <svg class="pointer-events-none absolute inset-0 h-full w-full" aria-hidden="true">
      <rect x={shownFrom} y="8" width={Math.max(0, width - 4 - shownFrom)} height="8" fill="var(--paper2)" />
      <path d="M4,16H{Math.max(width - 4, 4)}" stroke="var(--hair)" />
      {#each line.years as year (year.label)}
        <path d="M{year.x},14v4" stroke="var(--ink3)" />
        {#if width / Math.max(line.years.length, 1) > 34}<text
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
      {#if over}<path d="M{line.x(over)},1v16" stroke="var(--ember)" stroke-width="2.5" />{/if}
    </svg>
  </div>
</div>

<svelte:window
  onkeydown={(event) => {
    if (commandIn(event, 'chart') === 'chart.runbefore') before()
  }}
/>
