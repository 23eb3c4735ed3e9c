<script lang="ts">
  /** One session in five-minute bars, the night before it faint. */
  import { sentence } from '$lib/api'
  import { longDay, percent, price } from '$lib/format'
  import { ask, keepPrevious, query } from '$lib/queries'

  interface Props {
    symbol: string
    day: string
    onclose: () => void
    onstep: (by: 1 | -1) => void
  }
  const { symbol, day, onclose, onstep }: Props = $props()
  const answer = query(() => ({ ...ask.sessionChart(symbol, day), ...keepPrevious }))
  const found = $derived(answer.data)
  const WIDTH = 760
  const HEIGHT = 300
  const NIGHT = 90
  const RIGHT = 62
  const night = $derived(found?.night ?? null)
  const bars = $derived(found?.bars.length ? found.bars : [])
  const whole = $derived(found?.daily ?? null)
  const low = $derived(
    Math.min(
      ...bars.map((b) => b.low),
      night?.low ?? Infinity,
      found?.before ?? Infinity,
      whole?.low ?? Infinity,
    ),
  )
  const high = $derived(
    Math.max(
      ...bars.map((b) => b.high),
      night?.high ?? -Infinity,
      found?.before ?? -Infinity,
      whole?.high ?? -Infinity,
    ),
  )
  const y = (value: number) => 14 + (HEIGHT - 34) * (1 - (value - low) / (high - low || 1))
  const step = $derived((WIDTH - NIGHT - RIGHT) / Math.max(bars.length, 1))
  /** The night as a way: which extreme came first is known, when is not. */
  const way = $derived(
    night
      ? [night.open, ...(night.low_first ? [night.low, night.high] : [night.high, night.low]), night.close]
          .map((value, i) => `${8 + ((NIGHT - 20) * i) / 3},${y(value)}`)
          .join(' ')
      : '',
  )
  let box: HTMLElement | undefined = $state()
  $effect(() => {
    if (found) box?.scrollIntoView({ block: 'nearest' })
  })
  const clock = (minute: number) =>
    `${String(Math.floor(minute / 60)).padStart(2, '0')}:${String(minute % 60).padStart(2, '0')}`

  function keydown(event: KeyboardEvent): void {
    const target = event.target as HTMLElement
    if (/^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName) || target.isContentEditable) return
    if (event.key === 'Escape') onclose()
    else if (event.key === 'j' || event.key === 'ArrowDown') onstep(1)
    else if (event.key === 'k' || event.key === 'ArrowUp') onstep(-1)
    else return
    event.preventDefault()
  }
</script>

<svelte:window onkeydown={keydown} />

<section
  bind:this={box}
  data-arrows
  class="mt-3 border-y border-hair py-2"
  aria-label="The session of {longDay(day)}"
  class:waits={answer.isPlaceholderData}
>
  <div class="flex items-baseline gap-4">
    <h2 class="font-title text-[18px]">{found?.name ?? symbol}, {longDay(day)}</h2>
    {#if found?.daily}<span class="num text-[12.5px] text-ink2"
        >open {price(found.daily.open)} · close {price(found.daily.close)} · {percent(
          found.daily.close / found.daily.open - 1,
          2,
        )}</span
      >{/if}
    <span class="ml-auto flex gap-3 text-[13px]">
      <button class="link" title="j" onclick={() => onstep(1)}>next</button>
      <button class="link" title="k" onclick={() => onstep(-1)}>before</button>
      <button class="link" title="Esc" onclick={onclose}>close</button>
    </span>
  </div>
  {#if answer.error}
    <p role="alert" class="text-loss">{sentence(answer.error)}</p>
  {:else if !found}
    <p class="text-ink2">Loading its bars …</p>
  {:else if !bars.length && !whole}
    <p class="text-ink2">There are no bars of that session.</p>
  {:else}
    <svg
      viewBox="0 0 {WIDTH} {HEIGHT}"
      class="w-full"
      role="img"
      aria-label="Five-minute bars of the session, the night before them faint"
    >
      {#if found.before !== null}
        <line
          x1="0"
          x2={WIDTH - RIGHT}
          y1={y(found.before)}
          y2={y(found.before)}
          stroke="var(--hair)"
          stroke-dasharray="2 3"
        />
        <text
          x={WIDTH - RIGHT + 4}
          y={y(found.before) + 4}
          font-size="10.5"
          fill="var(--ink3)"
          font-family="var(--font-mono)">{price(found.before)}</text
        >
      {/if}
      {#if way}
        <polyline points={way} fill="none" stroke="var(--ink3)" stroke-width="1.2" opacity="0.55" />
        <text x="8" y={HEIGHT - 4} font-size="10.5" fill="var(--ink3)" font-family="var(--font-mono)"
          >night</text
        >
      {/if}
      {#each bars as bar, i (bar.minute)}
        {@const x = NIGHT + step * (i + 0.5)}
        {@const tint = bar.close >= bar.open ? 'var(--gain)' : 'var(--loss)'}
        <line x1={x} x2={x} y1={y(bar.high)} y2={y(bar.low)} stroke={tint} stroke-width="1" />
        <rect
          x={x - Math.max(1, step * 0.32)}
          width={Math.max(2, step * 0.64)}
          y={y(Math.max(bar.open, bar.close))}
          height={Math.max(1, Math.abs(y(bar.open) - y(bar.close)))}
          fill={tint}
        />
        {#if bar.minute % 60 === 0}
          <text
            {x}
            y={HEIGHT - 4}
            text-anchor="middle"
            font-size="10.5"
            fill="var(--ink3)"
            font-family="var(--font-mono)">{clock(bar.minute)}</text
          >
        {/if}
      {/each}
      {#if !bars.length && whole}
        {@const x = (NIGHT + WIDTH - RIGHT) / 2}
        <line x1={x} x2={x} y1={y(whole.high)} y2={y(whole.low)} stroke="var(--ink2)" stroke-width="2" />
        <line
          x1={x - 12}
          x2={x}
          y1={y(whole.open)}
          y2={y(whole.open)}
          stroke="var(--ink2)"
          stroke-width="2"
        />
        <line
          x1={x}
          x2={x + 12}
          y1={y(whole.close)}
          y2={y(whole.close)}
          stroke="var(--ink2)"
          stroke-width="2"
        />
      {/if}
      {#each [high, low] as edge, i (i)}
        <text
          x={WIDTH - RIGHT + 4}
          y={y(edge) + 4}
          font-size="10.5"
          fill="var(--ink2)"
          font-family="var(--font-mono)">{price(edge)}</text
        >
      {/each}
    </svg>
    {#if !bars.length}<p class="text-[12px] text-ink3">
        There are no five-minute bars of that session: its day’s bar stands for them.
      </p>{/if}
  {/if}
</section>
