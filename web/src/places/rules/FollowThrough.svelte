<script lang="ts">
  import { untrack } from 'svelte'
  import { api, type AnyRun, type RuleDetail, type Scan, type Study } from '$lib/api'
  import PathChart from '$lib/charts/PathChart.svelte'
  import { day, whole } from '$lib/format'
  import { market } from '$lib/market.svelte'
  import Compare from './study/Compare.svelte'
  import Events from './study/Events.svelte'
  import Figures from './study/Figures.svelte'
  import Horizons from './study/Horizons.svelte'
  import Kept from './study/Kept.svelte'
  import Measure from './study/Measure.svelte'
  import Parts from './study/Parts.svelte'
  import Progress from '$lib/Progress.svelte'
  import { question, type Choice } from './study/question'
  import { Watched } from '$lib/watched.svelte'
  import { madeOf, saveEvents, saveFigures, saveJson } from './study/save'
  import Seal from './study/Seal.svelte'
  import SealedHalves from './study/SealedHalves.svelte'
  import Sweep from './study/Sweep.svelte'
  import TradeChart from './study/TradeChart.svelte'
  import Tries from './study/Tries.svelte'

  interface Props {
    rule: RuleDetail
    text: string
    /** Grows by one each time a measurement is asked for. */
    measure: number
    broken: boolean
    /** Whether the text is being counted, so that `broken` is of the one before. */
    counting: boolean
    dials: Scan['dials']
    /** Header lines before the body: the server's line numbers less this are the editor's. */
    offset: number
    onday: (day: string) => void
    onevent: (symbol: string, day: string) => void
    onset: (values: { name: string; value: number; percent: boolean }[]) => void
  }
  const { rule, text, measure, broken, counting, dials, offset, onday, onevent, onset }: Props = $props()
  const VIEWS = ['figures', 'compare', 'sweep', 'kept'] as const

  let view = $state<(typeof VIEWS)[number]>('figures')
  let choice = $state<Choice>({})
  let measured = $state('')
  /** The study and the horizon that was taken apart last. */
  let apartOf = $state('')
  /** A measurement that was asked for and has not begun. */
  let wished = $state(false)
  let horizonBars = $state(5)
  let trade = $state<number | null>(null)
  /** A kept study that was opened, and need not be of the text as it stands. */
  let kept = $state.raw<AnyRun | null>(null)
  /** A kept sweep or comparison that was opened. */
  let opened = $state.raw<AnyRun | null>(null)
  const watched = new Watched('study', api.study)
  const apart = new Watched('parts', api.parts)

  const asking = $derived(question(text, rule.id, market.asOf, choice))
  const asked = $derived(JSON.stringify(asking))
  const study = $derived(watched.result as Study | null)
  const horizon = $derived(study?.horizons.find((h) => h.bars === horizonBars) ?? study?.horizons[0] ?? null)
  const fresh = $derived(measured === asked && kept === null)
  const events = $derived(study ? study.events.toReversed() : [])
  const chosen = $derived(trade === null ? null : (events[trade] ?? null))

  async function start(again = false): Promise<void> {
    const mine = asked
    const body = asking
    kept = null
    measured = mine
    trade = null
    await watched.start(() => api.startStudy(body, again))
  }

  async function open(run: AnyRun): Promise<void> {
    if (run.kind !== 'study') {
      opened = run
      view = run.kind === 'sweep' ? 'sweep' : 'compare'
      return
    }
    view = 'figures'
    trade = null
    if (await watched.start(() => watched.look(run.id))) kept = run
  }

  $effect(() => {
    void measure
    untrack(() => {
      view = 'figures'
      wished = true
    })
  })
  // Errors may be of the text before: whether this one can be measured is known once it is counted.
  $effect(() => {
    if (!wished || (broken && counting)) return
    untrack(() => {
      wished = false
      if (!broken) void start()
    })
  })
  $effect(() => () => {
    watched.leave()
    apart.leave()
  })
  // The study is taken apart once its figures stand, at the horizon that is looked at.
  $effect(() => {
    const run = watched.run
    const bars = horizon?.bars
    if (run?.state !== 'done' || !bars || !study?.hits) return
    untrack(() => {
      const mine = `${run.id} at ${bars}`
      apartOf = ''
      void apart.start(() => api.startParts(run.id, bars)).then((done) => done && (apartOf = mine))
    })
  })

  // Those of the study and the horizon on show, never of the one before.
  const parts = $derived(apartOf === `${watched.run?.id} at ${horizon?.bars}` ? apart.result : null)

  function step(by: 1 | -1): void {
    if (trade !== null) trade = Math.min(Math.max(trade + by, 0), events.length - 1)
  }
</script>

<div class="flex h-full flex-col">
  <div
    class="flex shrink-0 flex-wrap items-center gap-x-4 gap-y-1 border-b border-hair px-5 py-2 text-[13px] text-ink2"
  >
    <Measure bind:choice />
    <span class="ml-auto">
      <button
        class="act"
        onclick={() => start(fresh)}
        disabled={broken || watched.busy}
        aria-label="Measure follow-through">Measure</button
      >
    </span>
  </div>
  <Seal rule={rule.id} version={rule.version} onbroken={() => start()} />
  <div
    class="flex shrink-0 items-baseline gap-5 px-5 pt-2 text-[13px]"
    role="group"
    aria-label="What to look at"
  >
    {#each VIEWS as one (one)}
      <button
        aria-pressed={view === one}
        class={view === one
          ? 'font-semibold text-ink underline decoration-ember decoration-2 underline-offset-4'
          : 'link'}
        onclick={() => {
          opened = null
          view = one
        }}>{one}</button
      >
    {/each}
    {#if view === 'figures' && study && watched.run}
      <span class="ml-auto flex gap-4">
        <button class="link" onclick={() => watched.run && saveFigures(rule.name, study, watched.run)}
          >Save figures</button
        >
        <button class="link" onclick={() => watched.run && saveEvents(rule.name, study, watched.run)}
          >Save hits</button
        >
        <button class="link" onclick={() => watched.run && saveJson(rule.name, watched.run)}>JSON</button>
        {#if parts}
          <a
            class="link"
            title="One page with all figures and plots"
            href="/api/studies/{watched.run.id}/report?horizon={horizonBars}"
            download>Report</a
          >
        {:else}
          <span class="text-ink3" title="There is one once the study is taken apart">Report</span>
        {/if}
      </span>
    {/if}
  </div>

  <div class="relative min-h-0 flex-1 overflow-auto px-5 py-3">
    {#if view === 'kept'}
      <Kept rule={rule.id} onopen={open} />
    {:else if view === 'compare'}
      <Compare question={asking} {rule} {dials} horizon={horizonBars} {broken} {onday} {opened} />
    {:else if view === 'sweep'}
      <Sweep question={asking} name={rule.name} {dials} horizon={horizonBars} {broken} {onset} {opened} />
    {:else}
      <Progress {watched} onagain={() => start()} />
      {#if !study && !watched.busy && !watched.failed && !watched.run}
        <p class="text-ink2">{broken ? 'Fix the rule, then measure.' : 'Not measured yet.'}</p>
      {/if}
      {#if study && horizon}
        {#if kept}
          <p class="mb-2 text-[13px] text-ember">
            A kept study{kept.version ? ` of version ${kept.version}` : ''}, up to {day(
              String(kept.settings.as_of),
            )}.
            <button class="underline underline-offset-3" onclick={() => start()}
              >Back to the rule as it stands</button
            >
          </p>
        {:else if !fresh && !watched.busy && measured !== asked}
          <p class="mb-2 text-[13px] text-ember">
            Something changed since this was measured. <button
              class="underline underline-offset-3"
              onclick={() => start()}>Measure again</button
            >
          </p>
        {/if}
        {#if choice.survivors && fresh}
          <p class="mb-2 text-[13px] text-ember">
            Measured among those who belong today: who fell out or was delisted on the way is missing, and the
            figures flatter the rule. Measure among the members of that day to see by how much.
          </p>
        {/if}
        {#if study.findings}
          <p class="mt-1 text-[13px] text-ink2">
            {study.findings === 1 ? 'One open finding' : `${whole(study.findings)} open findings`} about the data
            touch this universe: <a class="link underline" href="/data">look at them</a> before you trust these
            figures.
          </p>
        {/if}
        {#if study.lists.length}
          <p class="mb-2 text-[13px] text-ember">
            The universe holds {study.lists.length === 1 ? 'the list' : 'the lists'}
            {study.lists.map((one) => `“${one}”`).join(', ')}, which knew what came later: these figures show
            how the chosen names did, not what the rule finds.
          </p>
        {/if}
        <div class:opacity-60={!kept && measured !== asked}>
          <Figures {study} {horizon} />
          <Tries rule={rule.id} horizon={horizon.bars} />
          <SealedHalves {study} bars={horizon.bars} />
          {#if study.hits}
            <h3 class="mt-4 font-title text-[16px]">Average path</h3>
            {#if parts?.path.length}
              <p class="text-[13px] text-ink2">
                From the hit’s close: <span class="font-semibold text-ember">mean</span> with its 95% band,
                median dashed, <span class="text-ink3">baseline thin</span>.
              </p>
              <div class="h-[230px]"><PathChart points={parts.path} /></div>
            {:else}
              <div class="h-[250px]"></div>
            {/if}
            <Horizons {study} {horizon} onpick={(bars) => (horizonBars = bars)} />
            <div class="mt-4"><Progress watched={apart} /></div>
            {#if parts}<Parts
                {parts}
                {horizon}
                all={study.horizons}
                name={rule.name}
                {offset}
                {onday}
                made={madeOf(watched.run!, study)}
              />{/if}
            <Events
              {study}
              horizon={horizon.bars}
              onevent={(event) => (trade = events.findIndex((e) => e === event))}
            />
          {/if}
        </div>
      {/if}
    {/if}
  </div>
  {#if chosen && watched.run && view === 'figures'}
    <div class="absolute inset-0 z-10">
      <TradeChart
        run={watched.run.id}
        {text}
        symbol={chosen.symbol}
        on={chosen.day}
        horizon={horizonBars}
        place="{whole((trade ?? 0) + 1)} of {whole(events.length)}"
        onstep={step}
        onstand={() => onevent(chosen.symbol, chosen.day)}
        onclose={() => (trade = null)}
      />
    </div>
  {/if}
</div>
