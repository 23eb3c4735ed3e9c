<script lang="ts">
  import { CHART_FRAMES, WITHIN_DAY } from '$lib/constants'
  import type { Snippet } from 'svelte'
  import { DropdownMenu, Popover } from 'bits-ui'
  import type { ChartChoice } from '$lib/api'
  import { NAMES, type Kind } from '$lib/charts/drawing'
  import { market } from '$lib/market.svelte'
  import { choose, preferences } from '$lib/preferences.svelte'

  export type Aside = 'why' | 'facts' | 'patterns' | null
  interface Props {
    aside: Aside
    asTable: boolean
    full: boolean
    /** Null where no rule is asked of it. */
    hit: boolean | null
    tool: Kind | null
    ondraw: (kind: Kind | null) => void
    onlevel: () => void
    onpicture: () => void
    /** How the chart gets the window alone; nothing where it has it always. */
    onfull?: (() => void) | undefined
    /** What else stands among the tools. */
    more?: Snippet
  }
  let {
    aside = $bindable(),
    asTable = $bindable(),
    full,
    hit,
    tool,
    ondraw,
    onlevel,
    onpicture,
    onfull,
    more,
  }: Props = $props()

  const RANGES = [
    [3, '3m'],
    [6, '6m'],
    [12, '1y'],
    [24, '2y'],
    [60, '5y'],
    [0, 'all'],
  ] as const
  const SESSIONS = [
    [1, '1d'],
    [2, '2d'],
    [5, '5d'],
    [10, '10d'],
    [21, '1m'],
    [0, 'all'],
  ] as const
  const PANES: [string, string[]][] = [
    ['RSI', ['rsi(14)']],
    ['MACD', ['macd', 'macd_signal', 'macd_hist']],
    ['Squeeze, bars in it', ['squeeze_bars']],
    ['Relative volume', ['rel_volume(20)']],
    ['ADX and directions', ['adx(14)', 'plus_di(14)', 'minus_di(14)']],
    ['Stochastic', ['stoch_k', 'stoch_d']],
    ['ATR as a share', ['natr(14)']],
    ['Off the 52-week high', ['off_high(52w)']],
    ['Money flow', ['mfi(14)']],
    ['Rank of 3 months’ change', ['rank(change(63))']],
  ]

  const now = $derived(preferences.now.chart!)
  const frames = $derived([...CHART_FRAMES.filter((f) => !within(f) || market.now!.frames.includes(f))])
  const within = (frame: string): boolean => WITHIN_DAY.some((f) => f === frame)
  const current = $derived(frames.find((f) => f === now.frame) ?? 'day')
  const inner = $derived(within(current))
  const panes = $derived(now.panes ?? [])
  let own = $state('')

  function set(change: Partial<ChartChoice>): void {
    choose({ chart: { ...now, ...change } })
  }

  const has = (lines: string[]) => panes.some((pane) => pane.join() === lines.join())

  function toggle(lines: string[]): void {
    set({ panes: has(lines) ? panes.filter((p) => p.join() !== lines.join()) : [...panes, lines].slice(-6) })
  }

  function addOwn(event: SubmitEvent): void {
    event.preventDefault()
    const lines = own
      .split(';')
      .map((part) => part.trim())
      .filter(Boolean)
      .slice(0, 4)
    if (lines.length && !has(lines)) toggle(lines)
    own = ''
  }
  /** Facts of one's own, as panes. */
  const mine = $derived(
    market.now!.own.map((name): [string, string[]] => [name.replaceAll('_', ' '), [`own.${name}`]]),
  )
  const others = $derived(
    panes.filter((pane) => ![...PANES, ...mine].some(([, lines]) => lines.join() === pane.join())),
  )
</script>

<div class="flex shrink-0 flex-wrap items-center gap-x-4 px-4 text-[13px] text-ink2">
  <span class="flex gap-0.5" role="group" aria-label="Frame of the chart">
    {#each frames as frame (frame)}
      <button
        class="px-1 {current === frame ? 'font-semibold text-ink' : 'link'} {inner || !frame.endsWith('min')
          ? ''
          : 'max-[560px]:hidden'}"
        aria-pressed={current === frame}
        onclick={() => set({ frame })}>{frame}</button
      >
    {/each}
  </span>
  <span class="flex gap-0.5" role="group" aria-label="How much of the past">
    {#each inner ? SESSIONS : RANGES as [span, label] (span)}
      {@const chosen = (inner ? now.sessions : now.months) === span}
      <button
        class="px-1 {chosen ? 'font-semibold text-ink' : 'link'}"
        aria-pressed={chosen}
        onclick={() => set(inner ? { sessions: span } : { months: span })}>{label}</button
      >
    {/each}
  </span>
  <button class="link" title="The price scale: logarithmic or linear" onclick={() => set({ log: !now.log })}
    >{now.log ? 'log' : 'linear'}</button
  >
  <Popover.Root>
    <Popover.Trigger class="link">Panes{panes.length ? ` ${panes.length}` : ''}</Popover.Trigger>
    <Popover.Portal>
      <Popover.Content align="start" sideOffset={4} class="pop w-72">
        {#each [...PANES, ...mine] as [label, lines] (lines.join())}
          <label class="flex items-center gap-2 py-0.5"
            ><input class="tick" type="checkbox" checked={has(lines)} onchange={() => toggle(lines)} />
            {label} <code class="ml-auto font-mono text-[11.5px] text-ink3">{lines[0]}</code></label
          >
        {/each}
        {#each others as lines, i (i)}
          <label class="flex items-center gap-2 py-0.5"
            ><input class="tick" type="checkbox" checked onchange={() => toggle(lines)} />
            <code class="truncate font-mono">{lines.join('; ')}</code></label
          >
        {/each}
        <form class="mt-2 flex gap-2" onsubmit={addOwn}>
          <input
            class="field min-w-0 flex-1 font-mono"
            aria-label="A pane of your own"
            placeholder="rsi(2); rsi(14)"
            bind:value={own}
          />
          <button class="quiet">Add</button>
        </form>
        <p class="mt-1 text-ink3">Any expression; a semicolon puts several into one pane.</p>
      </Popover.Content>
    </Popover.Portal>
  </Popover.Root>
  {#if tool}
    <span class="text-ember"
      >{NAMES[tool]}: {tool === 'line' || tool === 'range' ? 'two places' : 'one place'} on the chart
      <button class="link underline" onclick={() => ondraw(null)}>stop</button></span
    >
  {:else}
    <DropdownMenu.Root>
      <DropdownMenu.Trigger class="link">Draw</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content preventScroll={false} align="start" class="menu">
          {#each Object.entries(NAMES) as [kind, label] (kind)}
            <DropdownMenu.Item onSelect={() => ondraw(kind as Kind)}>{label}</DropdownMenu.Item>
          {/each}
          <DropdownMenu.Item onSelect={onlevel}>Level at the last close</DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  {/if}
  {@render more?.()}
  <span class="ml-auto flex gap-4">
    {#if !asTable}<button class="link" title="PNG of the chart" onclick={onpicture}>PNG</button>{/if}
    <button class="link" aria-pressed={asTable} onclick={() => (asTable = !asTable)}
      >{asTable ? 'as chart' : 'as table'}</button
    >
    <button
      class="link {aside === 'patterns' ? 'underline underline-offset-3' : ''}"
      aria-pressed={aside === 'patterns'}
      title="Every chart pattern live on this day (p)"
      onclick={() => (aside = aside === 'patterns' ? null : 'patterns')}>patterns</button
    >
    <button
      class="link {aside === 'facts' ? 'underline underline-offset-3' : ''}"
      aria-pressed={aside === 'facts'}
      title="f"
      onclick={() => (aside = aside === 'facts' ? null : 'facts')}>facts</button
    >
    {#if hit !== null}<button
        class="link {aside === 'why' ? 'underline underline-offset-3' : ''}"
        aria-pressed={aside === 'why'}
        title="w"
        onclick={() => (aside = aside === 'why' ? null : 'why')}>{hit ? 'why a hit' : 'why not a hit'}</button
      >{/if}
    {#if onfull}<button class="link" title="Enter" onclick={onfull}
        >{full ? 'beside the list' : 'full'}</button
      >{/if}
  </span>
</div>
