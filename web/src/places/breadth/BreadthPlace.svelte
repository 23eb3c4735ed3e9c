<script lang="ts">
  /** A breadth through all of history beside an index, the times it passed a level, and what the index did afterwards. */
  import { untrack } from 'svelte'
  import { Popover } from 'bits-ui'
  import { sentence } from '$lib/api'
  import { once } from '$lib/mutation'
  import { setAlert } from '$lib/alerting'
  import { copy, download } from '$lib/csv'
  import Editor from '$lib/editor/Editor.svelte'
  import { textsOf } from '$lib/editor/texts'
  import { longDay, whole } from '$lib/format'
  import { dayOf, market, standOn } from '$lib/market.svelte'
  import { tell } from '$lib/notice.svelte'
  import { ask, keepPrevious, query } from '$lib/queries'
  import { go } from '$lib/router.svelte'
  import { breadths, type Breadth } from '$lib/whole'
  import BreadthChart from './BreadthChart.svelte'
  import { said } from './breadthChart'
  import BreadthSentence from './BreadthSentence.svelte'
  import { asLine } from './head'
  import KeptList from './KeptList.svelte'
  import { OpenBreadth, wrong } from './open.svelte'
  import PassingTable from './PassingTable.svelte'

  interface Props {
    id?: number | null
  }
  const { id = null }: Props = $props()
  const open = new OpenBreadth()
  const kept = query(() => ask.breadths())
  const rules = query(() => ask.rules())
  let begun = $state<number | null | undefined>(undefined)
  const missing = $derived(
    kept.data !== undefined && !kept.isFetching && id !== null && !kept.data.some((one) => one.id === id),
  )

  $effect(() => {
    const all = kept.data
    if (!all || begun === id) return
    untrack(() => {
      if ((open.id === id && begun !== undefined) || open.begin(all, id)) begun = id
    })
  })

  let editing = $state(false)
  let horizon = $state(1)
  let under = $state<number | null>(null)
  let saving = $state(false)
  let newName = $state('')

  const question = $derived({
    text: open.text,
    universe: null,
    as_of: market.asOf,
    by: open.look.by,
    smooth: open.look.smooth,
    beside: open.look.beside,
    level: null,
    way: 'below' as const,
  })
  const TYPED = 200
  /** What is asked: a moment after the last key, so that not every letter is counted. */
  let asked = $state.raw<typeof question | null>(null)
  $effect(() => {
    const next = question
    if (begun === undefined) return
    const typing = untrack(() => asked !== null && asked.text !== next.text && editing)
    if (!typing) {
      asked = next
      return
    }
    const timer = setTimeout(() => (asked = next), TYPED)
    return () => clearTimeout(timer)
  })
  const answer = query(() => ({
    ...ask.breadth(asked ?? question),
    ...keepPrevious,
    enabled: asked !== null,
  }))
  const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b)
  const counting = $derived(asked === null || answer.isFetching || !same(asked, question))
  /** The last that was counted: it stays, and is said to be of before, while a text cannot be counted. */
  let last = $state.raw<Breadth | null>(null)
  $effect(() => {
    if (answer.data) last = answer.data.found
  })
  const found = $derived(answer.data?.found ?? last)
  const problem = $derived(wrong(counting ? null : answer.error))

  const followed = query(() => ({
    ...ask.passings({
      ...(asked ?? question),
      level: open.look.level,
      way: open.look.way,
    } as Parameters<typeof ask.passings>[0]),
    ...keepPrevious,
    enabled: asked !== null && open.look.level !== null && !answer.error,
  }))
  const passings = $derived(
    open.look.level === null || followed.data?.found?.level === undefined ? null : followed.data.found,
  )
  const marking = $derived(
    counting ||
      followed.isFetching ||
      (open.look.level !== null && followed.data?.asked.level !== open.look.level) ||
      (open.look.level !== null && followed.data?.asked.way !== open.look.way),
  )

  // A level to begin with, where none was ever chosen: a fifth of the way up what there was.
  $effect(() => {
    const now = found
    if (!now || open.look.level !== null || counting) return
    const values = now.smoothed.filter((v): v is number => v !== null)
    if (!values.length) return
    const least = Math.min(...values)
    const at = least + (Math.max(...values) - least) * 0.2
    untrack(() => open.see({ level: now.shows === 'share' ? Math.round(at * 100) / 100 : Math.round(at) }))
  })

  const share = $derived((open.head.shows ?? 'share') === 'share')
  const line = $derived(
    asLine(
      { head: open.head, body: open.body },
      open.id !== null || (open.name && !open.dirty) ? open.name : null,
      open.look,
      share,
    ),
  )
  const at = $derived(
    found && under !== null && under < found.days.length ? under : (found?.days.length ?? 0) - 1,
  )

  async function takeCsv(): Promise<void> {
    try {
      download(`${open.title}.csv`, await breadths.csv(question))
    } catch (error) {
      tell(sentence(error))
    }
  }

  async function watchLevel(): Promise<void> {
    const { level, way, by, smooth } = open.look
    await setAlert({
      kind: 'breadth',
      level,
      way: way ?? 'below',
      by: by ?? 'day',
      smooth: smooth ?? 1,
      breadth: open.title.slice(0, 120),
      scope: open.head.universe ?? '',
      ...(open.id !== null && !open.dirty ? {} : { text: open.text }),
    })
  }

  async function copyLine(): Promise<void> {
    if (line) tell((await copy(line)) ? `Copied: ${line}` : `The clipboard is closed to this page: ${line}`)
  }

  const keep = once(async () => {
    if (!(await open.saveAs(newName))) return
    saving = false
    newName = ''
  })
</script>

<svelte:head><title>{open.title}, Upper Wick</title></svelte:head>
<section
  class="h-full overflow-auto"
  data-state={begun === undefined || counting ? 'counting' : marking ? 'marking' : 'counted'}
>
  <div class="mx-auto max-w-[1280px] px-6 pt-3 pb-10">
    {#if kept.error}
      <p role="alert" class="mt-8 text-loss">
        {sentence(kept.error)} <button class="link" onclick={() => kept.refetch()}>Try again</button>
      </p>
    {:else if missing}
      <p class="mt-8 text-ink2">
        There is no such breadth: it was deleted, or is another account’s.
        <button class="link underline" onclick={() => go('/breadth')}>Open those that are always there</button
        >
      </p>
    {:else}
      <div class="flex flex-wrap items-baseline gap-x-4 gap-y-1">
        <h1 class="min-w-0 basis-full truncate font-title text-[24px] min-[700px]:flex-1" title={open.title}>
          {open.title}
        </h1>
        {#if open.dirty && open.id !== null}<button class="act" onclick={() => open.save()}>Save</button>{/if}
        <KeptList kept={kept.data ?? []} {open} />
        <button class="link text-[13px]" onclick={() => open.fresh()}>New</button>
        <Popover.Root bind:open={saving}>
          <Popover.Trigger class="link text-[13px]">Save as</Popover.Trigger>
          <Popover.Portal>
            <Popover.Content align="end" sideOffset={4} class="pop w-[320px]">
              <form class="flex gap-2" onsubmit={keep}>
                <input
                  class="field min-w-0 flex-1"
                  maxlength="120"
                  aria-label="Name of the breadth"
                  placeholder="name, as rules will call it"
                  bind:value={newName}
                />
                <button class="quiet">Keep</button>
              </form>
              <p class="text-ink3">Rules name it: <code>breadth("{newName || 'NAME'}") &gt; 60%</code></p>
            </Popover.Content>
          </Popover.Portal>
        </Popover.Root>
        <button
          class="act"
          disabled={open.look.level === null}
          title="Be told when it passes this level"
          onclick={watchLevel}>Watch this level</button
        >
        <button class="link text-[13px]" onclick={takeCsv}>CSV</button>
        <button
          class="link text-[13px]"
          disabled={!line}
          title={line ?? 'Save it under a name first: a rule then calls it by that'}
          onclick={copyLine}>Copy as a line</button
        >
      </div>
      <BreadthSentence {open} {share} bind:editing />
      {#if editing}
        <div class="mt-2 border-y border-hair pt-1 pb-2">
          <div class="max-h-[180px] overflow-auto">
            <Editor
              value={open.body}
              errors={problem.errors}
              advice={[]}
              offset={open.offset}
              entries={market.entries}
              onchange={(text) => (open.body = text)}
              onmeasure={() => (editing = false)}
              onsave={() => (open.id === null ? (saving = true) : void open.save())}
              online={() => {}}
              onlookup={(name) => go(`/reference/${name}`)}
              onvalue={async () => null}
              onfold={() => {}}
              label="Condition of the breadth"
              example="close > sma(50)"
              texts={textsOf(
                (rules.data ?? []).map((rule) => rule.name),
                kept.data,
              )}
            />
          </div>
          <div class="mt-1 flex flex-wrap items-baseline gap-x-5 gap-y-1 px-4 text-[13px] text-ink2">
            <label class="flex items-baseline gap-1.5"
              >less those with
              <input
                class="field w-52 py-0 font-mono text-[12.5px]"
                placeholder="a condition, or nothing"
                value={open.head.less ?? ''}
                onchange={(event) => open.set('less', event.currentTarget.value.trim())}
              /></label
            >
            <label class="flex items-baseline gap-1.5"
              >weighed by
              <input
                class="field w-40 py-0 font-mono text-[12.5px]"
                placeholder="one each"
                value={open.head.weight ?? ''}
                onchange={(event) => open.set('weight', event.currentTarget.value.trim())}
              /></label
            >
            <span class="text-ink3">several lines: all of them; <code>use "NAME"</code> takes a rule’s</span>
            <button class="link ml-auto" onclick={() => (editing = false)}>Done</button>
          </div>
        </div>
      {/if}
      <div aria-live="polite" class="text-[13px]">
        {#each problem.errors as error, e (e)}
          <p class="mt-1 text-loss">
            <b aria-hidden="true">✕</b>
            {error.line - open.offset >= 1 ? `Line ${error.line - open.offset}: ` : ''}{error.message}
          </p>
        {/each}
        {#if problem.trouble}<p class="mt-1 text-loss">{problem.trouble}</p>{/if}
      </div>
      {#if !open.head.universe}
        <p class="text-[12px] text-ink3">No universe is named: all shares are counted.</p>
      {/if}
      {#if problem.errors.length || problem.trouble}
        {#if found}<p class="mt-3 text-[13px] text-ink3">What stands below is of the text before.</p>{/if}
      {/if}
      {#if !found}
        <p class="mt-10 text-ink2">{answer.error ? '' : 'Counting the members …'}</p>
      {:else if !found.days.length}
        <p class="mt-10 text-ink2">There is no session up to {longDay(dayOf(market.asOf) ?? '')}.</p>
      {:else}
        <div class="mt-2" class:waits={counting || problem.errors.length > 0}>
          <BreadthChart
            {found}
            level={open.look.level ?? null}
            marks={passings?.days ?? []}
            old={false}
            up={open.look.way === 'below'}
            onlevel={(level) => open.see({ level })}
            onday={(index) => (under = index)}
            onpick={(index) => {
              const day = found.days[index]
              if (day) void standOn(day)
            }}
          />
          <p class="num text-left! text-[12px] whitespace-normal! text-ink2">
            {longDay(found.days[at]!)}: {whole(found.passed[at])} pass, {whole(found.failed[at])} fail, {whole(
              found.unknown[at],
            )} unknown: <b>{said(found, found.value[at])}</b>{#if open.look.smooth! > 1}, smoothed {said(
                found,
                found.smoothed[at],
              )}{/if}{#if found.running && at === found.days.length - 1}, so far{/if}
          </p>
          {#if (found.bars === 'week' || found.bars === 'month') && found.by === 'day'}
            <p class="text-[12px] text-ink3">
              Each session counts the {found.bars} so far.
              <button class="link underline" onclick={() => open.see({ by: 'week' })}
                >A value each week</button
              > counts weeks that are over.
            </p>
          {/if}
          {#if found.lists.length}
            <p class="text-[12px] text-ember">
              {found.lists.join(', ')} is a list: who is on it was chosen with hindsight.
            </p>
          {/if}
          {#if found.findings}
            <p class="text-[12px] text-ember">
              {found.findings} open finding{found.findings === 1 ? '' : 's'} about its data,
              <a class="underline" href="/data" onclick={(event) => (event.preventDefault(), go('/data'))}
                >look at them</a
              >.
            </p>
          {/if}
        </div>
        {#if passings}
          <div class:waits={marking}>
            <PassingTable
              {passings}
              by={found.by}
              beside={found.beside}
              say={(value) => said(found, value)}
              bind:horizon
            />
          </div>
        {:else if !found.beside}
          <p class="mt-4 text-[13px] text-ink2">
            No index is known to follow it through on: name an instrument after “beside”.
          </p>
        {/if}
      {/if}
    {/if}
  </div>
</section>
