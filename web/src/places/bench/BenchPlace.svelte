<script lang="ts">
  /** What waits: shortlisted, planned, holding, closed; each looked at one after another. */
  import { sentence } from '$lib/api'
  import { attempt, undoable } from '$lib/mutation'
  import { commandIn } from '$lib/commands'
  import { copy, csv, download } from '$lib/csv'
  import { longMoment } from '$lib/format'
  import { bench, type BenchItem, type Stage } from '$lib/desk'
  import { latest, market } from '$lib/market.svelte'
  import { hush, tell } from '$lib/notice.svelte'
  import { ask, keepPrevious, query } from '$lib/queries'
  import { go } from '$lib/router.svelte'
  import Sizes from '$lib/ui/Sizes.svelte'
  import ChartPane from '$lib/chart-pane/ChartPane.svelte'
  import Beside from './Beside.svelte'
  import Clock from './Clock.svelte'
  import FillsImport from './FillsImport.svelte'
  import FillsLayer from './FillsLayer.svelte'
  import Row from './Row.svelte'
  import PlanLayer from './PlanLayer.svelte'
  import { Planning } from './planning.svelte'
  import PlanSentence from './PlanSentence.svelte'

  interface Props {
    stage?: Stage
    /** The item in view, which the address names: where it moves on to another stage, the address goes along. */
    named?: number | null
  }
  const { stage = 'shortlisted', named = null }: Props = $props()
  const STAGES: Stage[] = ['shortlisted', 'planned', 'holding', 'closed']
  const answer = query(() => ({ ...ask.bench(market.asOf), ...keepPrevious }))
  const all = $derived(answer.data ?? null)
  /** Items whose way off this stage is asked for: gone from view at once, before the server has answered. */
  let leaving = $state.raw<number[]>([])
  const items = $derived((all ?? []).filter((one) => one.stage === stage && !leaving.includes(one.id)))
  let wanted = $state('')
  const shown = $derived(
    items.filter((one) =>
      `${one.symbol} ${one.name} ${one.rule_name} ${one.notes}`
        .toLowerCase()
        .includes(wanted.trim().toLowerCase()),
    ),
  )
  const at = $derived(
    Math.max(
      0,
      shown.findIndex((one) => one.id === named),
    ),
  )
  const item = $derived(shown[at] ?? null)
  const view = (one: BenchItem | undefined) => go(`/bench/${one ? `${one.stage}/${one.id}` : stage}`, true)
  $effect(() => {
    const found = all?.find((one) => one.id === named && !leaving.includes(one.id))
    if (found && found.stage !== stage) view(found)
    // None is named yet, or it is gone: named from here on, what is in view stays so, whatever comes before it.
    else if (!found && item) view(item)
  })
  let noting = $state(false)
  let importing = $state(false)
  const planning = new Planning(() => (stage === 'closed' ? null : (item?.id ?? null)))

  /** What is asked for is done in the order it was asked: a key may well be faster than the answer to the one before. */
  let before: Promise<unknown> = Promise.resolve()
  function inTurn(work: () => Promise<unknown>): Promise<unknown> {
    hush() // what it would undo is no more the last that was done
    before = before.then(() => attempt(['bench'], work, 'shown'))
    return before
  }

  const position = query(() => ({ ...ask.position(item?.id ?? 0, market.asOf), enabled: item !== null }))
  const held = $derived((position.data?.holding?.shares ?? 0) > 0)
  let stood: [number, boolean] | null = null
  $effect(() => {
    const [id, now, of] = [item?.id ?? null, held, position.data]
    if (id === null || !of || position.isPlaceholderData) return
    if (stood?.[0] === id && stood[1] !== now) {
      if (planning.tried) tell('It was filled meanwhile; the levels that were tried before are discarded.')
      planning.filled()
    }
    stood = [id, now]
  })
  let entering = $state(false)
  /** Levels that were off the scale and brought into view. */
  let reach = $state.raw<number[]>([])
  const inView = $derived(item?.id ?? null) // a number: what is fetched anew is the same item still
  $effect(() => {
    void inView
    entering = false
    reach = []
  })

  async function away(one: BenchItem, work: () => Promise<unknown>): Promise<void> {
    view(shown[at + 1] ?? shown[at - 1])
    leaving = [...leaving, one.id]
    await inTurn(work)
    leaving = leaving.filter((id) => id !== one.id)
  }

  function move(one: BenchItem, to: Stage): void {
    const from = one.stage
    void away(one, async () => {
      await bench.move(one.id, to, market.asOf)
      undoable(`${one.symbol} is ${to} now.`, ['bench'], () => bench.move(one.id, from, market.asOf))
    })
  }

  function drop(one: BenchItem): void {
    void away(one, async () => {
      await bench.drop(one.id)
      undoable(`${one.symbol} is off the bench.`, ['bench'], () => bench.restore(one.id))
    })
  }

  const symbols = $derived(shown.map((one) => one.symbol).join(', '))
  const take = () =>
    download(
      `${stage}.csv`,
      csv(
        ['symbol', 'name', 'stage', 'rule', 'version', 'since', 'close'],
        shown.map((o) => [o.symbol, o.name, o.stage, o.rule_name, o.version, o.since, o.close]),
      ),
    )
  const next = $derived(STAGES[STAGES.indexOf(stage) + 1])

  function keydown(event: KeyboardEvent): void {
    const command = commandIn(event, 'bench')
    if (!command) return
    event.preventDefault()
    if (command === 'bench.next') view(shown[Math.min(at + 1, shown.length - 1)])
    else if (command === 'bench.before') view(shown[Math.max(at - 1, 0)])
    else if (!item) return
    else if (command === 'bench.keep' && next) move(item, next)
    else if (command === 'bench.drop') drop(item)
    else if (command === 'bench.note') noting = true
    else if (command === 'bench.fill') entering = true
  }
</script>

<svelte:head><title>Bench, Upper Wick</title></svelte:head>
<svelte:window onkeydown={keydown} />
<section class="flex h-full flex-col" data-state={answer.isFetching ? 'counting' : 'counted'}>
  <h1 class="sr-only">Bench</h1>
  {#if all && market.asOf !== latest()}
    <p class="px-4 pt-1.5 text-[13px] text-ink2">
      Prices and what is held are of {longMoment(market.asOf ?? '')}; stages, plans, orders and stops are
      those of now.
    </p>
  {/if}
  {#if answer.error && !all}
    <p role="alert" class="p-6 text-loss">
      {sentence(answer.error)} <button class="link" onclick={() => answer.refetch()}>Try again</button>
    </p>
  {:else if !all}
    <p class="p-6 text-ink2">Loading …</p>
  {:else}
    <div
      class="grid min-h-0 flex-1 grid-cols-1 overflow-auto max-[899px]:auto-rows-max min-[900px]:grid-cols-[340px_minmax(0,1fr)] min-[900px]:overflow-hidden"
    >
      <div class="flex flex-col border-hair min-[900px]:min-h-0 min-[900px]:border-r">
        <nav class="flex shrink-0 flex-wrap gap-x-4 border-b border-hair px-4 pt-2.5" aria-label="Stages">
          {#each STAGES as one (one)}
            <a
              href="/bench/{one}"
              aria-current={one === stage ? 'page' : undefined}
              class="border-b-2 pb-2 {one === stage
                ? 'border-ember font-semibold'
                : 'border-transparent text-ink2'}"
              onclick={(event) => (event.preventDefault(), go(`/bench/${one}`))}
              >{one} {all.filter((i) => i.stage === one).length}</a
            >
          {/each}
        </nav>
        {#if stage === 'holding' || stage === 'closed'}
          <p class="shrink-0 border-b border-hair px-4 py-1 text-[13px]">
            <button class="link" aria-expanded={importing} onclick={() => (importing = !importing)}
              >Import fills from your broker’s file …</button
            >
          </p>
        {/if}
        {#if items.length}
          <p class="flex shrink-0 items-baseline gap-3 border-b border-hair px-4 py-1.5 text-[13px]">
            <input
              class="field min-w-0 flex-1 py-0"
              type="search"
              placeholder="Filter, notes too"
              aria-label="Filter the bench"
              bind:value={wanted}
            />
            <button
              class="link"
              title="The symbols, separated by commas"
              onclick={async () => tell((await copy(symbols)) ? `Copied ${shown.length} symbols.` : symbols)}
              >Copy</button
            >
            <button class="link" onclick={take}>CSV</button>
          </p>
        {/if}
        {#if shown.length}
          <ul
            class="overflow-auto max-[899px]:max-h-[34vh] min-[900px]:min-h-0 min-[900px]:flex-1"
            aria-label="On this stage"
          >
            {#each shown as one (one.id)}
              <li>
                <button
                  class="block w-full border-b border-hair px-4 py-2 text-left {one.id === item?.id
                    ? 'bg-row'
                    : ''}"
                  aria-current={one.id === item?.id ? 'true' : undefined}
                  onclick={() => view(one)}
                >
                  <Row {one} />
                </button>
              </li>
            {/each}
          </ul>
        {/if}
        {#if stage === 'planned' && shown.length}
          <details class="shrink-0 border-t border-hair px-4 py-2 text-[13px]">
            <summary class="cursor-pointer font-title text-[16px]">What a stop means</summary>
            <Sizes />
          </details>
        {/if}
        {#if !shown.length}
          <p class="flex-1 px-4 py-4 text-[14px] text-ink2">
            {wanted
              ? `Nothing here is called anything like “${wanted}”.`
              : stage === 'shortlisted'
                ? 'The shortlist is empty. Wherever an instrument is in view, s puts it here: in the hits of a rule, on the sheet, on a chart.'
                : `Nothing is ${stage}. Move something here from another stage.`}
          </p>
        {/if}
      </div>
      {#if importing}
        <FillsImport onclose={() => (importing = false)} />
      {:else if item}
        <div
          class="min-w-0 min-[900px]:overflow-auto min-[1200px]:grid min-[1200px]:min-h-0 min-[1200px]:grid-cols-[minmax(0,1fr)_300px] min-[1200px]:overflow-hidden"
        >
          <div class="flex min-w-0 flex-col min-[1200px]:min-h-0">
            <p
              class="flex shrink-0 flex-wrap items-baseline gap-x-3 gap-y-1 border-b border-hair px-4 py-1.5 text-[13px]"
            >
              <span class="text-ink3">{at + 1} of {shown.length} <kbd>j</kbd> <kbd>k</kbd></span>
              {#each STAGES.filter((one) => one !== stage) as one (one)}
                <button
                  class={one === next ? 'act' : 'quiet'}
                  title={one === next ? 'm' : undefined}
                  onclick={() => move(item!, one)}>{one === 'closed' ? 'Close it' : `To ${one}`}</button
                >
              {/each}
              <button class="quiet" title="x" onclick={() => drop(item!)}>Drop it</button>
              {#if item.rule}
                <button class="link ml-auto" onclick={() => go(`/rules/${item!.rule}`)}
                  >{item.rule_name}{item.version ? `, version ${item.version}` : ''}</button
                >
              {/if}
            </p>
            {#if stage !== 'closed'}<PlanSentence {planning} {held} symbol={item.symbol} />{/if}
            {#if position.data}
              <Clock {item} position={position.data} {planning} onfill={() => (entering = true)} />
            {/if}
            <div class="h-[440px] min-[1200px]:h-auto min-[1200px]:min-h-0 min-[1200px]:flex-1">
              {#key item.symbol}
                <ChartPane
                  symbol={item.symbol}
                  text=""
                  ahead={shown.slice(at + 1, at + 3).map((o) => o.symbol)}
                  full={true}
                  position=""
                  {reach}
                >
                  {#snippet over(chart, view)}
                    {#if position.data?.fills.length && chart.frame === 'day' && chart.symbol === item?.symbol}
                      <FillsLayer {chart} {view} fills={position.data.fills} />
                    {/if}
                    {#if planning.now && planning.levels && planning.now.symbol === chart.symbol && chart.frame === 'day'}
                      <PlanLayer
                        {view}
                        plan={planning.now}
                        levels={planning.levels}
                        {held}
                        proposed={!planning.now.kept && !planning.tried}
                        onreveal={(level) => (reach = [...reach, level])}
                        onentry={(entry) => planning.change({ entry })}
                        onstop={(stop) => planning.change({ stop })}
                        ontarget={(nth, price) => planning.target(nth, { price })}
                      />
                    {/if}
                  {/snippet}
                </ChartPane>
              {/key}
            </div>
          </div>
          <Beside {item} position={position.data ?? null} bind:noting bind:entering />
        </div>
      {/if}
    </div>
  {/if}
</section>
