<script lang="ts">
  /** The index and the breadth through time, and the level, which is dragged. */
  import type { ECharts } from 'echarts/core'
  import { timeChartIn } from '$lib/charts/echarts'
  import { theme } from '$lib/theme.svelte'
  import type { Breadth } from '$lib/whole'
  import {
    BREADTH_HEIGHT,
    BREADTH_TOP,
    breadthChart,
    INDEX_HEIGHT,
    LEFT,
    reach,
    RIGHT,
    said,
    TOP,
  } from './breadthChart'

  interface Props {
    found: Breadth
    level: number | null
    marks: string[]
    /** Whether the marks are still of the level before. */
    old: boolean
    up: boolean
    onlevel: (level: number) => void
    onday: (index: number | null) => void
    onpick: (index: number) => void
  }
  const { found, level, marks, old, up, onlevel, onday, onpick }: Props = $props()
  let box: HTMLDivElement
  let chart: ECharts | undefined = $state.raw()
  let dragging = $state(false)

  $effect(() => {
    const made = timeChartIn(
      box,
      (index) => onday(index),
      (index) => onpick(index),
    )
    chart = made.chart
    return made.dispose
  })

  $effect(() => {
    void theme.now
    chart?.setOption({ animation: false, ...breadthChart(found, marks, up) }, { notMerge: true })
  })

  const range = $derived(reach(found))
  const share = $derived(found.shows === 'share')
  const step = $derived(share ? 0.01 : Math.max(1, Math.round((range[1] - range[0]) / 100)))
  const round = (value: number) => Number((Math.round(value / step) * step).toFixed(share ? 2 : 0))
  const clamp = (value: number) => Math.min(Math.max(value, range[0]), range[1])
  const top = $derived(
    level === null
      ? null
      : BREADTH_TOP + BREADTH_HEIGHT * (1 - (clamp(level) - range[0]) / (range[1] - range[0])),
  )

  function move(event: PointerEvent): void {
    if (!dragging) return
    const y = event.clientY - box.getBoundingClientRect().top
    onlevel(round(clamp(range[0] + (1 - (y - BREADTH_TOP) / BREADTH_HEIGHT) * (range[1] - range[0]))))
  }

  function key(event: KeyboardEvent): void {
    const by = { ArrowUp: 1, ArrowDown: -1, PageUp: 5, PageDown: -5 }[event.key]
    if (!by || level === null) return
    event.preventDefault()
    onlevel(round(clamp(level + by * step)))
  }

  const latest = $derived(found.smoothed.at(-1))
  const nowTop = $derived(
    latest === null || latest === undefined
      ? 0
      : BREADTH_TOP + BREADTH_HEIGHT * (1 - (clamp(latest) - range[0]) / (range[1] - range[0])),
  )
  // Two labels beside one plot must not lie on one another.
  const levelLabel = $derived(
    top === null ? 0 : Math.abs(top - nowTop) < 18 ? (top >= nowTop ? nowTop + 18 : nowTop - 18) : top,
  )
</script>

<div class="relative" class:waits={old}>
  <div
    bind:this={box}
    class="h-[384px] w-full"
    role="img"
    aria-label="{found.beside ??
      'No index'} and the breadth through time; the values are in the file, the crossings in the table below"
  ></div>
  {#if found.beside}
    <span
      class="pointer-events-none absolute right-0 max-w-[84px] truncate font-mono text-[11px] text-ink2"
      style:top="{TOP + INDEX_HEIGHT / 2 - 60}px"
      style:width="{RIGHT - 8}px">{found.beside}</span
    >
  {/if}
  <span
    class="pointer-events-none absolute right-0 font-mono text-[11px] text-ink3"
    style:width="{RIGHT - 8}px"
    style:top="{nowTop - 8}px"
    >{found.running ? 'so far' : 'now'} <b class="text-ember">{said(found, latest)}</b></span
  >
  {#if top !== null && level !== null}
    <div
      class="pointer-events-none absolute h-px bg-ink"
      style:top="{top}px"
      style:left="{LEFT}px"
      style:right="{RIGHT}px"
    ></div>
    <div
      class="absolute h-[18px] cursor-row-resize touch-none"
      style:top="{top - 9}px"
      style:left="{LEFT}px"
      style:right="{RIGHT - 12}px"
      role="slider"
      tabindex="0"
      aria-label="The level that is passed"
      aria-orientation="vertical"
      aria-valuemin={share ? range[0] * 100 : range[0]}
      aria-valuemax={share ? range[1] * 100 : range[1]}
      aria-valuenow={share ? level * 100 : level}
      aria-valuetext={said(found, level)}
      onkeydown={key}
      onpointerdown={(event) => {
        dragging = true
        event.currentTarget.setPointerCapture(event.pointerId)
      }}
      onpointermove={move}
      onpointerup={() => (dragging = false)}
      onpointercancel={() => (dragging = false)}
    >
      <span class="absolute top-[4px] right-[6px] h-[10px] w-[10px] rounded-full bg-ink"></span>
    </div>
    <span
      class="pointer-events-none absolute right-0 font-mono text-[11px] text-ink2"
      style:width="{RIGHT - 14}px"
      style:top="{levelLabel - 8}px">{said(found, level)} drag</span
    >
  {/if}
</div>
