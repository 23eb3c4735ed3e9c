<script lang="ts">
  import { untrack } from 'svelte'
  import { api, sentence, type Run, type Schemas } from '$lib/api'
  import Histogram from '$lib/charts/Histogram.svelte'
  import { csv, download } from '$lib/csv'
  import { day, fixed, percent, price, whole } from '$lib/format'
  import { market } from '$lib/market.svelte'
  import Parts from './study/Parts.svelte'

  interface Props {
    text: string
    /** Grows by one each time a measurement is asked for. */
    measure: number
    broken: boolean
    name: string
    /** Header lines before the body: the server's line numbers less this are the editor's. */
    offset: number
    onday: (day: string) => void
    onevent: (symbol: string, day: string) => void
  }
  const { text, measure, broken, name, offset, onday, onevent }: Props = $props()
  const PAGE = 200

  let entry = $state<Schemas['StudyIn']['entry']>('next-open')
  let repeats = $state<Schemas['StudyIn']['repeats']>('fresh')
  let costPercent = $state(0.1)
  let survivors = $state(false)
  let run = $state.raw<Run | null>(null)
  let measured = $state('')
  let failed = $state('')
  let horizonBars = $state(5)
  let eventsShown = $state(PAGE)
  let eventHorizon = $derived(String(horizonBars))

  const asked = $derived(JSON.stringify([text, entry, repeats, costPercent, survivors, market.asOf]))
  const study = $derived(run?.result ?? null)
  const horizon = $derived(study?.horizons.find((h) => h.bars === horizonBars) ?? study?.horizons[0] ?? null)
  const busy = $derived(run?.state === 'running')
  const events = $derived(study ? study.events.toReversed() : [])

  async function start(): Promise<void> {
    failed = ''
    const mine = asked
    try {
      run = await api.startStudy({
        text,
        as_of: market.asOf,
        entry,
        repeats,
        cost: costPercent / 100,
        survivors,
        dials: {},
        horizons: [1, 2, 3, 5, 10, 20, 60],
      })
      measured = mine
      eventsShown = PAGE
      while (run.state === 'running') {
        await new Promise((resolve) => setTimeout(resolve, 200))
        const now: Run = await api.study(run.id)
        if (mine !== measured) return
        run = now
      }
      if (run.state === 'failed') failed = run.detail
    } catch (error) {
      failed = sentence(error)
      run = null
    }
  }

  async function stop(): Promise<void> {
    if (run) run = await api.stopStudy(run.id).catch(() => run)
  }

  $effect(() => {
    void measure
    untrack(() => {
      if (!broken) void start()
    })
  })

  function interval(low: number | null, high: number | null, digits = 2): string {
    return low === null || high === null
      ? 'no interval'
      : `${percent(low, digits)} to ${percent(high, digits)}`
  }

  function tone(value: number | null): string {
    return value === null ? '' : value > 0 ? 'text-gain' : value < 0 ? 'text-loss' : ''
  }

  function saveEvents(): void {
    if (!study) return
    const bars = study.horizons.map((h) => String(h.bars))
    download(
      `${name} hits.csv`,
      csv(
        ['symbol', 'day', 'entry_day', 'entry', ...bars.map((b) => `return_${b}`)],
        study.events.map((e) => [e.symbol, e.day, e.entry_day, e.entry, ...bars.map((b) => e.returns[b])]),
      ),
    )
  }

  function saveFigures(): void {
    if (!study) return
    const nested = ['histogram', 'spread', 'favourable', 'adverse']
    const keys = Object.keys(study.horizons[0] ?? {}).filter(
      (k) => !nested.includes(k),
    ) as (keyof Schemas['HorizonOut'])[]
    download(
      `${name} follow-through.csv`,
      csv(
        keys,
        study.horizons.map((h) => keys.map((k) => h[k] as number | string | null)),
      ),
    )
  }
</script>

<div class="flex h-full flex-col">
  <div
    class="flex shrink-0 flex-wrap items-center gap-x-4 gap-y-1 border-b border-hair px-4 py-2 text-[13px] text-ink2"
  >
    <label
      >enter at <select class="inline-pick text-ink" bind:value={entry}>
        <option value="next-open">the next open</option>
        <option value="signal-close">the signal’s close (optimistic)</option>
      </select></label
    >
    <label
      >count <select class="inline-pick text-ink" bind:value={repeats}>
        <option value="fresh">fresh hits</option>
        <option value="every">every hit</option>
        <option value="apart">hits that do not overlap</option>
      </select></label
    >
    <label
      >cost <input
        class="inline-pick num w-12 text-ink"
        type="number"
        min="0"
        max="10"
        step="0.05"
        bind:value={costPercent}
      />% a side</label
    >
    <label
      >among <select
        class="inline-pick text-ink"
        aria-label="Among whom"
        value={survivors ? 'today' : 'then'}
        onchange={(event) => (survivors = event.currentTarget.value === 'today')}
      >
        <option value="then">members of that day</option>
        <option value="today">today’s members (biased)</option>
      </select></label
    >
    <span class="ml-auto flex items-center gap-4">
      {#if study}
        <button class="link" onclick={saveFigures}>Save figures</button>
        <button class="link" onclick={saveEvents}>Save hits</button>
      {/if}
      {#if busy}
        <button class="quiet" onclick={stop}>Stop</button>
      {:else}
        <button class="act" onclick={start} disabled={broken}>Measure follow-through</button>
      {/if}
    </span>
  </div>

  <div class="relative min-h-0 flex-1 overflow-auto px-5 py-3">
    {#if busy && run}
      <div class="mb-3" role="status">
        <p class="text-[13px] text-ink2">{run.stage}, {Math.round(run.share * 100)}% done</p>
        <div class="mt-1 h-[3px] w-full bg-paper2">
          <div class="h-full bg-ember" style:width="{run.share * 100}%"></div>
        </div>
      </div>
    {/if}
    {#if failed}
      <p role="alert" class="text-loss">{failed}</p>
    {:else if run?.state === 'stopped'}
      <p class="text-ink2">Stopped. Nothing was kept of this measurement.</p>
    {:else if !study && !busy}
      <p class="text-ink2">{broken ? 'Mend the rule, then measure.' : 'Not measured yet.'}</p>
    {/if}
    {#if study && horizon}
      {#if measured !== asked && !busy}
        <p class="mb-2 text-[13px] text-ember">
          Something changed since this was measured. <button
            class="underline underline-offset-3"
            onclick={start}>Measure again</button
          >
        </p>
      {/if}
      {#if survivors && measured === asked}
        <p class="mb-2 text-[13px] text-ember">
          Measured among those who belong today: who fell out or was delisted on the way is missing, and the
          figures flatter the rule. Measure among the members of that day to see by how much.
        </p>
      {/if}
      {#if study.lists.length}
        <p class="mb-2 text-[13px] text-ember">
          The universe holds {study.lists.length === 1 ? 'the list' : 'the lists'}
          {study.lists.map((name) => `“${name}”`).join(', ')}, which knew what came later: these figures show
          how the chosen names did, not what the rule finds.
        </p>
      {/if}
      <div class:opacity-60={measured !== asked}>
        <h2 class="max-w-[70ch] font-title text-[21px] leading-snug">
          {study.verdicts[String(horizon.bars)]}
        </h2>
        {#if study.entry === 'signal-close'}
          <p class="mt-1 text-[13px] text-ember">Optimistic: you cannot know a close and trade it.</p>
        {/if}
        {#if study.hits}
          <dl class="mt-3 grid grid-cols-4 gap-x-6">
            {#each [['Excess', percent(horizon.excess, 2), interval(horizon.excess_low, horizon.excess_high)], ['Win rate', percent(horizon.win_rate, 1, false), horizon.win_rate_low === null ? '' : `${percent(horizon.win_rate_low, 1, false)} to ${percent(horizon.win_rate_high, 1, false)}`], ['Median', percent(horizon.median, 2), `baseline ${percent(horizon.baseline, 2)} (mean)`], ['Hits', whole(horizon.count), `on ${whole(horizon.days)} days, ${whole(horizon.instruments)} names`]] as const as [label, figure, below] (label)}
              <div class="border-t border-hair pt-1.5">
                <dt class="text-[13px] text-ink2">
                  {label}{label === 'Hits' ? '' : ` at ${horizon.bars} bars`}
                </dt>
                <dd class="font-mono text-[21px] font-semibold">{figure}</dd>
                <dd class="font-mono text-[12px] text-ink2">{below}</dd>
              </div>
            {/each}
          </dl>
          <div class="@container mt-4">
            <div class="grid grid-cols-1 gap-5 @[840px]:grid-cols-[minmax(0,1fr)_240px]">
              <table class="w-full self-start text-[13px]">
                <caption class="pb-1 text-left font-title text-[16px]">By bars held</caption>
                <thead>
                  <tr class="border-b border-hair text-ink2">
                    {#each ['Bars', 'Hits', 'Win rate', 'Mean', 'Median', 'Baseline', 'Excess', '95% interval', 'Payoff'] as head (head)}
                      <th scope="col" class="px-1.5 py-1 text-right font-semibold whitespace-nowrap"
                        >{head}</th
                      >
                    {/each}
                  </tr>
                </thead>
                <tbody>
                  {#each study.horizons as row (row.bars)}
                    <tr
                      class="cursor-pointer border-b border-hair/60 hover:bg-paper2 {row.bars === horizon.bars
                        ? 'bg-row'
                        : ''}"
                      title="{row.pending} pending, {row.delisted} delisted before the exit, standard deviation {percent(
                        row.stdev,
                        2,
                        false,
                      )}"
                      onclick={() => (horizonBars = row.bars)}
                    >
                      <th scope="row" class="num px-1.5 py-1">
                        <button aria-pressed={row.bars === horizon.bars} aria-label="{row.bars} bars"
                          >{row.bars}</button
                        >
                      </th>
                      <td class="num px-1.5"
                        >{whole(row.count)}{#if row.small_sample}<span
                            class="text-ember"
                            title="under 30 days: a small sample">&thinsp;*</span
                          >{/if}</td
                      >
                      <td
                        class="num px-1.5"
                        title={row.win_rate_low === null
                          ? ''
                          : `${percent(row.win_rate_low, 1, false)} to ${percent(row.win_rate_high, 1, false)}`}
                        >{percent(row.win_rate, 1, false)}</td
                      >
                      <td class="num px-1.5">{percent(row.mean, 2)}</td>
                      <td class="num px-1.5">{percent(row.median, 2)}</td>
                      <td class="num px-1.5 text-ink2">{percent(row.baseline, 2)}</td>
                      <td class="num px-1.5 {tone(row.excess)}">{percent(row.excess, 2)}</td>
                      <td class="num px-1.5 text-ink2"
                        >{row.excess_low === null
                          ? '–'
                          : `${percent(row.excess_low, 2)} … ${percent(row.excess_high, 2)}`}</td
                      >
                      <td class="num px-1.5">{fixed(row.payoff)}</td>
                    </tr>
                  {/each}
                </tbody>
              </table>
              <figure class="flex flex-col">
                <figcaption class="font-title text-[16px]">
                  After {horizon.bars} bars, {whole(horizon.count)} hits
                </figcaption>
                <div class="h-[190px]"><Histogram {horizon} /></div>
              </figure>
            </div>
          </div>
          <p class="mt-1.5 text-[13px] text-ink3">
            {whole(study.hits)} hits{#if study.no_entry}, {whole(study.no_entry)} could not be entered{/if};
            at {horizon.bars} bars
            {whole(horizon.pending)} are pending and {whole(horizon.delisted)} were delisted before their exit.
            {#if study.horizons.some((h) => h.small_sample)}* under 30 distinct days.{/if}
          </p>
          <p class="mt-0.5 text-[13px] text-ink2">
            At {horizon.bars} bars one hit in twenty ended below {percent(horizon.spread.p5, 1)} and one in twenty
            made more than {percent(horizon.spread.p95, 1)}; half lay between {percent(horizon.spread.p25, 1)} and
            {percent(horizon.spread.p75, 1)}. Best {horizon.best_symbol}
            {percent(horizon.best, 1)}, worst {horizon.worst_symbol}
            {percent(horizon.worst, 1)}. On the way the average hit stood {percent(
              horizon.favourable.mean,
              1,
            )} at best and
            {percent(horizon.adverse.mean, 1)} at worst.
          </p>
          {#if run && run.state === 'done' && measured === asked}
            <Parts run={run.id} {horizon} {name} {offset} {onday} />
          {/if}
          <h3 class="mt-4 font-title text-[16px]">Each hit, the latest first</h3>
          <table class="mt-1 w-full text-[13px]">
            <thead>
              <tr class="border-b border-hair text-ink2">
                <th scope="col" class="py-1 text-left font-semibold">Symbol</th>
                <th scope="col" class="text-left font-semibold">Hit on</th>
                <th scope="col" class="text-left font-semibold">Entered on</th>
                <th scope="col" class="text-right font-semibold">Entry</th>
                {#each study.horizons as h (h.bars)}
                  <th
                    scope="col"
                    class="text-right font-semibold {String(h.bars) === eventHorizon ? 'text-ink' : ''}"
                    >{h.bars}</th
                  >
                {/each}
              </tr>
            </thead>
            <tbody>
              {#each events.slice(0, eventsShown) as event (`${event.symbol} ${event.day}`)}
                <tr class="border-b border-hair/60">
                  <th scope="row" class="py-[3px] text-left font-mono font-semibold"
                    ><button
                      class="hover:underline"
                      title="Its chart on that day"
                      onclick={() => onevent(event.symbol, event.day)}>{event.symbol}</button
                    ></th
                  >
                  <td>{day(event.day)}</td>
                  <td>{event.entry_day ? day(event.entry_day) : 'not yet'}</td>
                  <td class="num">{price(event.entry)}</td>
                  {#each study.horizons as h (h.bars)}
                    {@const r = event.returns[String(h.bars)] ?? null}
                    <td class="num {tone(r)}">{percent(r)}</td>
                  {/each}
                </tr>
              {/each}
            </tbody>
          </table>
          {#if events.length > eventsShown}
            <button class="quiet mt-2" onclick={() => (eventsShown += PAGE)}
              >Show {Math.min(PAGE, events.length - eventsShown)} more of {whole(
                events.length - eventsShown,
              )}</button
            >
          {/if}
        {/if}
      </div>
    {/if}
  </div>
</div>
