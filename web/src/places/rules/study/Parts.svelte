<script lang="ts">
  /** A study taken apart at one horizon: when, where and in whom it works, the way there, and which line earns its place. */
  import { untrack } from 'svelte'
  import { api, sentence, type Horizon, type PartsRun } from '$lib/api'
  import PathChart from '$lib/charts/PathChart.svelte'
  import { csv, download } from '$lib/csv'
  import { percent, whole } from '$lib/format'
  import Breakdown from './Breakdown.svelte'
  import HitDays from './HitDays.svelte'
  import Names from './Names.svelte'
  import Stops from './Stops.svelte'

  interface Props {
    run: number
    horizon: Horizon
    name: string
    offset: number
    onday: (day: string) => void
  }
  const { run, horizon, name, offset, onday }: Props = $props()
  const TITLES: Record<string, string> = {
    year: 'By year',
    month: 'By month',
    weekday: 'By weekday of the entry',
    sector: 'By sector',
    size: 'By size, thirds of market value',
    market: 'By market: its 200-day average',
    crowd: 'By hits that day',
  }

  let asked = $state.raw<PartsRun | null>(null)
  let failed = $state('')
  const parts = $derived(asked?.result ?? null)
  const busy = $derived(asked?.state === 'running')
  let turn = 0

  async function start(of: number, bars: number): Promise<void> {
    const mine = ++turn
    failed = ''
    try {
      let now = await api.startParts(of, bars)
      if (mine === turn) asked = now
      while (now.state === 'running') {
        await new Promise((resolve) => setTimeout(resolve, 250))
        now = await api.parts(now.id)
        if (mine !== turn) return
        asked = now
      }
      if (now.state === 'failed') failed = now.detail
    } catch (error) {
      if (mine === turn) failed = sentence(error)
    }
  }

  $effect(() => {
    const [of, bars] = [run, horizon.bars]
    untrack(() => void start(of, bars))
  })

  // What is shown as 0.00% has no colour.
  const tone = (value: number | null) =>
    value === null || Math.abs(value) < 5e-5 ? '' : value > 0 ? 'text-gain' : 'text-loss'

  function save(): void {
    if (!parts) return
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
    const head = ['by', 'group', 'hits', 'days', 'win_rate', 'mean', 'median', 'excess', 'low', 'high']
    download(`${name} at ${parts.horizon} bars, breakdowns.csv`, csv(head, rows))
  }

  function saveJson(): void {
    if (parts)
      download(`${name} at ${parts.horizon} bars.json`, JSON.stringify(parts, null, 1), 'application/json')
  }
</script>

<section aria-label="Taken apart" class="mt-4">
  {#if busy && asked}
    <div role="status" class="mb-2 text-[13px]">
      <p class="flex items-center gap-3 text-ink2">
        {asked.stage}, {Math.round(asked.share * 100)}% done
        <button class="link underline" onclick={() => void api.stopStudy(asked!.id).catch(() => {})}
          >Stop</button
        >
      </p>
      <div class="mt-1 h-[3px] w-full bg-paper2">
        <div class="h-full bg-ember" style:width="{asked.share * 100}%"></div>
      </div>
    </div>
  {:else if asked?.state === 'stopped'}
    <p class="text-[13px] text-ink2">
      Stopped. <button class="underline" onclick={() => start(run, horizon.bars)}>Take it apart</button>
    </p>
  {/if}
  {#if failed}<p role="alert" class="text-[13px] text-loss">{failed}</p>{/if}
  {#if parts}
    <div class:opacity-60={parts.horizon !== horizon.bars}>
      <div class="flex items-baseline gap-4">
        <h3 class="font-title text-[16px]">The way there</h3>
        <span class="ml-auto flex gap-4 text-[13px]">
          <button class="link" onclick={save}>Save breakdowns</button>
          <button class="link" onclick={saveJson}>Save all as JSON</button>
        </span>
      </div>
      <p class="text-[13px] text-ink2">
        From the hit’s close: <span class="font-semibold text-ember">mean</span> with its 95% band, median
        dashed,
        <span class="text-ink3">baseline thin</span>.
      </p>
      <div class="h-[230px]"><PathChart points={parts.path} /></div>
      <h3 class="mt-3 font-title text-[16px]">Hits through time</h3>
      <HitDays days={parts.days} {onday} />
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
                  title={worth.text}
                  ><span class="mr-2 text-ink3">{worth.number - offset}</span>{worth.text}</th
                >
                <td class="num pl-4">{whole(worth.without?.count)}</td>
                <td class="num pl-4">{percent(worth.without?.excess, 2)}</td>
                <td class="num pl-4 {tone(worth.gain)}">{percent(worth.gain, 2)}</td>
                <td class="pl-3 text-ink3"
                  >{worth.more === 0
                    ? 'removes nothing'
                    : worth.clutter
                      ? `clutter: removes ${whole(worth.more)} hits and adds nothing`
                      : ''}</td
                >
              </tr>
            {/each}
          </tbody>
        </table>
      {/if}
      <Stops {run} horizon={parts.horizon} dots={parts.scatter} total={horizon} />
      <div class="mt-4 grid grid-cols-[repeat(auto-fit,minmax(330px,1fr))] gap-x-8 gap-y-4">
        {#each Object.entries(parts.breakdowns) as [kind, groups] (kind)}
          <Breakdown title={TITLES[kind] ?? kind} {groups} />
        {/each}
      </div>
      <Names names={parts.names} horizons={parts.name_horizons} total={horizon} {name} />
    </div>
  {/if}
</section>
