<script lang="ts">
  /** One dial or two over their ranges: the plateau rather than the peak. */
  import { api, type AnyRun, type Schemas } from '$lib/api'
  import EChart from '$lib/charts/EChart.svelte'
  import { csv, download } from '$lib/csv'
  import { hits, percent, whole } from '$lib/format'
  import Progress from '$lib/Progress.svelte'
  import { Watched } from '$lib/watched.svelte'
  import DialRangeFields from '$lib/ui/DialRanges.svelte'
  import { DialRanges, wholeRanges } from '$lib/ui/dial-ranges.svelte'
  import SweepCells from '$lib/ui/SweepCells.svelte'
  import { sweepChart } from './sweepChart'

  interface Props {
    question: Schemas['StudyIn']
    name: string
    dials: Schemas['DialOut'][]
    horizon: number
    broken: boolean
    onset: (values: { name: string; value: number; percent: boolean }[]) => void
    /** A kept sweep to show at first. */
    opened: AnyRun | null
  }
  const { question, name, dials, horizon, broken, onset, opened }: Props = $props()
  const WIDE = 10 // about so many values of a dial's whole range

  const usable = $derived(wholeRanges(dials, WIDE))
  const ranges = new DialRanges(() => usable)
  const watched = new Watched('sweep', api.sweep)
  const found = $derived(watched.result)
  $effect(() => {
    if (opened?.kind === 'sweep') void watched.start(() => watched.look(opened.id))
    return () => watched.leave()
  })

  async function start(): Promise<void> {
    const body = { study: question, dials: $state.snapshot(ranges.chosen), horizon }
    await watched.start(() => api.startSweep(body))
  }

  const isPercent = (of: string) => dials.find((d) => d.name === of)?.percent ?? false
  const said = (of: string, value: number) =>
    isPercent(of) ? percent(value, 1, false) : String(Number(value.toPrecision(6)))

  function told(cell: Schemas['CellOut']): string {
    const where = cell.values.map((v, i) => `${found!.dials[i]} ${said(found!.dials[i]!, v)}`).join(', ')
    const held = cell.holds ? 'Its neighbours hold up.' : ''
    return `${where}: excess ${percent(cell.excess, 2)} (${percent(cell.low, 2)} to ${percent(cell.high, 2)}), ${hits(cell.count)} on ${whole(cell.days)} days, won ${percent(cell.win_rate, 0, false)}. ${held} A click sets the dials so.`
  }

  const few = (cell: Schemas['CellOut']) => cell.count < 20
  const most = $derived(Math.max(1e-4, ...(found?.cells ?? []).map((c) => Math.abs(c.excess ?? 0))))

  function shade(cell: Schemas['CellOut']): string {
    if (cell.excess === null || few(cell)) return 'transparent'
    const part = Math.round((Math.abs(cell.excess) / most) * 70)
    return `color-mix(in srgb, var(--${cell.excess > 0 ? 'gain' : 'loss'}) ${part}%, var(--paper))`
  }

  function set(cell: Schemas['CellOut']): void {
    onset(
      cell.values.map((value, i) => ({
        name: found!.dials[i]!,
        value,
        percent: isPercent(found!.dials[i]!),
      })),
    )
  }

  function save(): void {
    if (!found) return
    download(
      `${name} sweep at ${found.bars} bars.csv`,
      csv(
        [
          ...found.dials,
          'Hits',
          'Days',
          'Win rate',
          'Mean',
          'Excess',
          'Excess from',
          'Excess to',
          'Least beside it',
          'Holds',
        ],
        found.cells.map((c) => [
          ...c.values,
          c.count,
          c.days,
          c.win_rate,
          c.mean,
          c.excess,
          c.low,
          c.high,
          c.floor,
          c.holds ? 1 : 0,
        ]),
      ),
    )
  }
</script>

{#if !usable.length}
  <p class="max-w-[70ch] text-ink2">
    This rule has no dial to turn. Give a number a name and a range, for instance
    <code class="font-mono">dial reach = 60 from 20 to 250 step 10</code>, and use
    <code class="font-mono">reach</code>
    in a line.
  </p>
{:else}
  <div class="flex flex-wrap items-center gap-x-4 gap-y-1.5 text-[13px] text-ink2">
    <DialRangeFields {ranges} />
    <span class="ml-auto flex items-center gap-4">
      {#if found}<button class="link" onclick={save}>Save the cells</button>{/if}
      <span>{whole(ranges.total)} settings at {horizon} bars</span>
      <button class="act" disabled={broken || watched.busy || ranges.total < 1} onclick={start}
        >Run sweep</button
      >
    </span>
  </div>
  <div class="mt-3"><Progress {watched} onagain={start} /></div>
  {#if found}
    <h2 class="max-w-[75ch] font-title text-[19px] leading-snug">{found.verdict}</h2>
    {#if found.dials.length === 1}
      <div class="mt-3 h-[246px]">
        <EChart
          option={() => sweepChart(found, (value) => said(found.dials[0]!, value), told)}
          label="Excess and hits over the settings of {found.dials[0]}; the values are in the table below"
        />
      </div>
      <table class="mt-2 w-full text-[13px]">
        <thead>
          <tr class="border-b border-hair text-ink2">
            {#each [found.dials[0]!, 'Hits', 'Days', 'Win rate', 'Excess', '95% interval', 'Least beside it', ''] as head (head)}
              <th scope="col" class="pl-3 text-right font-semibold">{head}</th>
            {/each}
          </tr>
        </thead>
        <tbody>
          {#each found.cells as cell, i (i)}
            <tr
              class="border-b border-hair/60 {i === found.plateau ? 'bg-row' : ''} {cell.count < 20
                ? 'text-ink3'
                : ''}"
            >
              <th scope="row" class="num pl-3"
                ><button class="hover:underline" title="Set the dial so" onclick={() => set(cell)}
                  >{said(found.dials[0]!, cell.values[0]!)}</button
                ></th
              >
              <td class="num pl-3">{whole(cell.count)}</td>
              <td class="num pl-3">{whole(cell.days)}</td>
              <td class="num pl-3">{percent(cell.win_rate, 1, false)}</td>
              <td class="num pl-3">{percent(cell.excess, 2)}</td>
              <td class="num pl-3 text-ink2"
                >{cell.low === null ? '–' : `${percent(cell.low, 2)} … ${percent(cell.high, 2)}`}</td
              >
              <td class="num pl-3">{percent(cell.floor, 2)}</td>
              <td class="pl-3 {i === found.plateau ? 'font-semibold' : 'text-ember'}"
                >{i === found.plateau ? 'plateau' : i === found.peak ? 'peak' : cell.holds ? 'holds' : ''}</td
              >
            </tr>
          {/each}
        </tbody>
      </table>
    {:else}
      <SweepCells
        {found}
        caption="Excess and hits;"
        setting={said}
        {shade}
        faint={few}
        figures={(cell) => [percent(cell.excess, 2), whole(cell.count)]}
        title={told}
        onset={set}
      />
    {/if}
  {/if}
{/if}
