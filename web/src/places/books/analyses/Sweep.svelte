<script lang="ts">
  /** One dial or two of a book over their ranges: plateaus before peaks. */
  import { books, type Schemas } from '$lib/api'
  import { csv, download } from '$lib/csv'
  import { fixed, percent, whole } from '$lib/format'
  import Progress from '$lib/Progress.svelte'
  import { Watched } from '$lib/watched.svelte'
  import DialRangeFields from '$lib/ui/DialRanges.svelte'
  import { DialRanges } from '$lib/ui/dial-ranges.svelte'
  import SweepCells from '$lib/ui/SweepCells.svelte'
  import { rangesOf } from './ranges'

  interface Props {
    run: number
    dials: Schemas['DialOut'][]
    slots: number
    onset: (values: { name: string; value: number; percent: boolean }[]) => void
  }
  const { run, dials, slots, onset }: Props = $props()
  const ranges = new DialRanges(() => rangesOf(dials, slots))
  const watched = new Watched<Schemas['BookSweepRun']>('book-sweep', books.sweep, {
    stop: books.stop,
    again: books.again,
  })
  const found = $derived(watched.result as Schemas['BookSweepOut'] | null)
  const MEASURES = {
    annual: ['A year', (c: Schemas['BookCell']) => c.annual],
    worst_fall: ['Max drawdown', (c: Schemas['BookCell']) => c.worst_fall],
    ratio: ['Return / drawdown', (c: Schemas['BookCell']) => c.ratio],
  } as const
  let by = $state<keyof typeof MEASURES>('annual')
  const value = $derived(MEASURES[by][1])
  const said = $derived((cell: Schemas['BookCell']) =>
    by === 'ratio' ? fixed(cell.ratio) : percent(value(cell), 1),
  )
  const few = (cell: Schemas['BookCell']) => cell.trades < 20
  const bounds = $derived.by(() => {
    const all = (found?.cells ?? []).filter((c) => !few(c)).map((c) => value(c) ?? 0)
    return { low: Math.min(0, ...all), high: Math.max(0, ...all) }
  })
  const percentOf = (name: string) => dials.find((d) => d.name === name)?.percent ?? false
  const setting = (name: string, v: number) => (percentOf(name) ? percent(v, 1, false) : String(v))

  function shade(cell: Schemas['BookCell']): string {
    const v = value(cell)
    if (v === null || few(cell)) return 'transparent'
    // A fall is read from the deepest: the less of it the stronger.
    const share =
      by === 'worst_fall'
        ? 1 - v / Math.min(-1e-9, bounds.low)
        : Math.abs(v) / Math.max(1e-9, Math.abs(v > 0 ? bounds.high : bounds.low))
    return `color-mix(in srgb, var(--${v > 0 || by === 'worst_fall' ? 'gain' : 'loss'}) ${Math.round(share * 65)}%, var(--paper))`
  }
  const told = (cell: Schemas['BookCell']) =>
    `${found!.dials.map((name, i) => `${name} ${setting(name, cell.values[i]!)}`).join(', ')}: ${percent(cell.annual)} a year, max drawdown ${percent(cell.worst_fall)}, ${whole(cell.trades)} trades${cell.floor === null ? '' : `, no neighbour under ${percent(cell.floor)}`}`

  const start = () => watched.start(() => books.startSweep(run, $state.snapshot(ranges.chosen)))
  const set = (cell: Schemas['BookCell']) =>
    onset(found!.dials.map((name, i) => ({ name, value: cell.values[i]!, percent: percentOf(name) })))

  function save(): void {
    if (!found) return
    download(
      'sweep.csv',
      csv(
        [
          ...found.dials,
          'Trades',
          'A year',
          'Max drawdown',
          'Return / drawdown',
          'Sharpe ratio',
          'Least beside it',
          'Holds',
        ],
        found.cells.map((c) => [
          ...c.values,
          c.trades,
          c.annual,
          c.worst_fall,
          c.ratio,
          c.sharpe,
          c.floor,
          c.holds ? 1 : 0,
        ]),
      ),
    )
  }
  $effect(() => () => watched.leave())
</script>

<div class="flex flex-wrap items-center gap-x-4 gap-y-1.5 text-[13px] text-ink2">
  <DialRangeFields {ranges} />
  <span class="ml-auto flex items-center gap-4">
    {#if found}<button class="link" onclick={save}>Save the cells</button>{/if}
    <span>{whole(ranges.total)} settings</span>
    <button class="act" disabled={watched.busy || !(ranges.total >= 1)} onclick={start}>Run sweep</button>
  </span>
</div>
<div class="mt-3"><Progress {watched} onagain={start} /></div>
{#if found}
  <h2 class="max-w-[75ch] font-title text-[19px] leading-snug">{found.verdict}</h2>
  <dl class="mt-2 flex flex-wrap gap-x-10 text-[13px]">
    {#each [['Best by luck', found.luck, 'Chance that the best of so many settings that are no better than the index (than cash, where there is none) would look as good: the test for superior predictive ability'], ['Deflated Sharpe', found.deflated, 'Chance that the peak’s Sharpe ratio is above what the best of so many without skill would show'], ['Overfitting', found.overfit, 'Of all ways to choose on half of the days, the share in which the chosen setting does no better than the middle one on the other half']] as const as [label, figure, help] (label)}
      <div title={help}>
        <dt class="text-ink2">{label}</dt>
        <dd class="font-mono text-[17px] font-semibold">{percent(figure, 0, false)}</dd>
      </div>
    {/each}
  </dl>
  <p class="mt-3 flex gap-4 text-[13px]" role="group" aria-label="What the cells show">
    {#each Object.entries(MEASURES) as [key, [label]] (key)}
      <button
        aria-pressed={by === key}
        class={by === key
          ? 'font-semibold underline decoration-ember decoration-2 underline-offset-4'
          : 'link'}
        onclick={() => (by = key as keyof typeof MEASURES)}>{label}</button
      >
    {/each}
  </p>
  <SweepCells
    {found}
    caption=""
    note="Faint: fewer than twenty trades. A click sets the dials so."
    {setting}
    {shade}
    faint={few}
    figures={(cell) => [said(cell), whole(cell.trades)]}
    title={told}
    onset={set}
  />
{:else if !watched.busy && !watched.failed}
  <p class="max-w-[70ch] text-[13px] text-ink2">
    Every number of the text can be a dial: give it a name and a range, for instance
    <code class="font-mono">dial far = 4 from 2 to 6 step 0.5</code>, and write
    <code class="font-mono">far</code> in its place. Slots are one without that.
  </p>
{/if}
