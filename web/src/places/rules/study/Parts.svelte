<script lang="ts">
  /** A study taken apart at one horizon: when, where and in whom it works, and which line earns its place. */
  import type { Horizon, Schemas } from '$lib/api'
  import { download, type Cell } from '$lib/csv'
  import { hits, percent, tone, whole } from '$lib/format'
  import Breakdown from './Breakdown.svelte'
  import HitDays from './HitDays.svelte'
  import Names from './Names.svelte'
  import { withMadeOf } from './save'
  import Stops from './Stops.svelte'

  interface Props {
    parts: Schemas['PartsOut']
    horizon: Horizon
    all: Horizon[]
    name: string
    offset: number
    onday: (day: string) => void
    /** What the study was made of, for what is saved of it. */
    made: [string, Cell][]
  }
  const { parts, horizon, all, name, offset, onday, made }: Props = $props()
  const TITLES: Record<string, string> = {
    year: 'By year',
    month: 'By month',
    weekday: 'By weekday of the entry',
    sector: 'By sector',
    size: 'By size, thirds of market value',
    market: 'By market: its 200-day average',
    crowd: 'By hits that day',
  }

  function save(): void {
    const rows = Object.entries(parts.breakdowns).flatMap(([kind, groups]) =>
      groups.map((g) => [
        kind,
        g.label,
        g.count,
        g.days,
        g.win_rate,
        g.mean,
        g.median,
        g.excess,
        g.excess_low,
        g.excess_high,
      ]),
    )
    const head = [
      'By',
      'Group',
      'Hits',
      'Days',
      'Win rate',
      'Mean',
      'Median',
      'Excess',
      'Excess from',
      'Excess to',
    ]
    download(`${name} at ${parts.horizon} bars, breakdowns.csv`, withMadeOf(head, rows, made))
  }

  function saveJson(): void {
    download(`${name} at ${parts.horizon} bars.json`, JSON.stringify(parts, null, 1), 'application/json')
  }
</script>

<section aria-label="Taken apart" class="mt-4">
  <div class:opacity-60={parts.horizon !== horizon.bars}>
    <div class="flex items-baseline gap-4">
      <h3 class="font-title text-[16px]">Hits through time</h3>
      <span class="ml-auto flex gap-4 text-[13px]">
        <button class="link" onclick={save}>Save breakdowns</button>
        <button class="link" onclick={saveJson}>Export all as JSON</button>
      </span>
    </div>
    <HitDays days={parts.days} {onday} />
    <div class="mt-4 grid grid-cols-[repeat(auto-fit,minmax(330px,1fr))] gap-x-8 gap-y-4">
      {#each Object.entries(parts.breakdowns) as [kind, groups] (kind)}
        <Breakdown title={TITLES[kind] ?? kind} {groups} />
      {/each}
    </div>
    <Names names={parts.names} horizons={parts.name_horizons} {all} {name} />
    <Stops horizon={parts.horizon} dots={parts.scatter} stops={parts.stops} total={horizon} />
    {#if parts.worth.some((w) => w.without)}
      <h3 class="mt-4 font-title text-[16px]">What each line is worth at {parts.horizon} bars</h3>
      <table class="mt-1 w-full text-[13px]">
        <thead>
          <tr class="border-b border-hair text-ink2">
            <th scope="col" class="text-left font-semibold">Line</th>
            <th scope="col" class="pl-4 text-right font-semibold">Hits without</th>
            <th scope="col" class="pl-4 text-right font-semibold">Excess without</th>
            <th scope="col" class="pl-4 text-right font-semibold">It brings</th>
            <th scope="col" class="pl-3 text-left font-semibold"></th>
          </tr>
        </thead>
        <tbody>
          {#each parts.worth as worth (worth.number + worth.text)}
            <tr class="border-b border-hair/60">
              <th
                scope="row"
                class="max-w-72 truncate py-[3px] text-left font-mono font-normal"
                title={worth.text}><span class="mr-2 text-ink3">{worth.number - offset}</span>{worth.text}</th
              >
              <td class="num pl-4">{whole(worth.without?.count)}</td>
              <td class="num pl-4">{percent(worth.without?.excess, 2)}</td>
              <td
                class="num pl-4 whitespace-nowrap {tone(worth.gain)}"
                title="The excess with the line less the excess without it; whole days drawn for the interval"
                >{percent(worth.gain, 2)}{#if worth.gain_low !== null}
                  <span class="ml-2 text-ink3"
                    >({percent(worth.gain_low, 2)} … {percent(worth.gain_high, 2)})</span
                  >{/if}</td
              >
              <td
                class="pl-3 text-ink3"
                title={worth.more < 0
                  ? 'Where the line fails for a bar, the run of hits is cut in two: without the line there are fewer fresh hits.'
                  : undefined}
                >{worth.more === 0
                  ? 'removes nothing'
                  : worth.clutter
                    ? `clutter: removes ${hits(worth.more)} and adds nothing`
                    : worth.more < 0
                      ? `cuts runs: ${hits(-worth.more)} more with it`
                      : ''}</td
              >
            </tr>
          {/each}
        </tbody>
      </table>
    {/if}
  </div>
</section>
