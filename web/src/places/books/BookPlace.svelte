<script lang="ts">
  /** A book: its text on the left, what a run of it came to on the right. */
  import { untrack } from 'svelte'
  import { MediaQuery } from 'svelte/reactivity'
  import { Tabs } from 'bits-ui'
  import { books, type BookResult, type BookRun, type Schemas } from '$lib/api'
  import { commandIn } from '$lib/commands'
  import { lazily } from '$lib/lazily'
  import { market } from '$lib/market.svelte'
  import Progress from '$lib/Progress.svelte'
  import { go } from '$lib/router.svelte'
  import { day, whole } from '$lib/format'
  import { Watched } from '$lib/watched.svelte'
  import { turnDial } from '$lib/rule/headers'
  import NarrowSwitch from '$lib/ui/NarrowSwitch.svelte'
  import BookPane from './BookPane.svelte'
  import { OpenBook, Reading } from './open.svelte'

  const { id, tab }: { id: number; tab: string } = $props()
  const TABS = [
    ['equity', 'Equity'],
    ['trades', 'Trades'],
    ['today', 'Open and orders'],
    ['luck', 'Luck'],
    ['sweep', 'Sweep'],
    ['walk', 'Walk forward'],
    ['kept', 'Kept'],
  ] as const
  const equity = lazily(() => import('./run/Equity.svelte'))
  const trades = lazily(() => import('./run/Trades.svelte'))
  const today = lazily(() => import('./run/Today.svelte'))
  const luck = lazily(() => import('./analyses/Luck.svelte'))
  const sweep = lazily(() => import('./analyses/Sweep.svelte'))
  const walk = lazily(() => import('./analyses/Walk.svelte'))
  const kept = lazily(() => import('./Kept.svelte'))

  const open = new OpenBook(untrack(() => id))
  const reading = new Reading(() => (open.saved ? open.text : ''))
  const watched = new Watched<BookRun>('book', books.run, { stop: books.stop, again: books.again })
  const result = $derived(watched.result as BookResult | null)
  let first = $state('')
  let last = $state('')
  let ran = $state('')
  /** A kept run that was opened, and need not be of the text as it stands. */
  let opened = $state.raw<Schemas['BookRunOut'] | null>(null)
  /** Which signals are listed, by what came of them. */
  let outcome = $state<string | null>(null)
  let looked = $state<{ number: number; part: number } | null>(null)

  /** Random picks among the signals of the run on show, asked for once its figures stand: whether ranking matters belongs to the answer. */
  const picks = new Watched<Schemas['BookLuckRun']>('book-luck', books.luck, {
    stop: books.stop,
    again: books.again,
  })
  let picksOf = $state(0)
  const luckSaid = $derived(
    picksOf === watched.run?.id && picks.run?.state === 'done'
      ? (picks.result as Schemas['LuckOut'] | null)
      : null,
  )
  $effect(() => {
    const run = watched.run
    if (run?.state !== 'done' || !(run.result as BookResult | null)?.figures.trades) return
    untrack(() => {
      picksOf = run.id
      void picks.start(() => books.startLuck(run.id, 500))
    })
  })
  const asking = $derived({
    text: open.text,
    dials: {},
    book_id: id,
    as_of: market.asOf,
    first: first || null,
    last: last || null,
  } as unknown as Schemas['BookRunIn'])
  const asked = $derived(JSON.stringify(asking))
  const fresh = $derived(ran === asked && opened === null)
  /** A sweep or a walk turns the dials: where the text differs from the run's in them alone, it is of this text still. */
  const bare = (text: string) =>
    text.replace(/^(\s*dial\s+\w+\s*=\s*)\S+/gm, '$1').replace(/^(\s*slots\s*:\s*)\S+/gm, '$1')
  const sameButDials = $derived(
    ran !== '' && bare(ran.replaceAll('\\n', '\n')) === bare(asked.replaceAll('\\n', '\n')),
  )
  const standing = $derived(
    reading.reading
      ? 'reading'
      : watched.busy
        ? 'running'
        : reading.broken
          ? 'errors'
          : fresh && result
            ? 'run'
            : 'not run',
  )

  async function start(again = false): Promise<void> {
    if (reading.broken) return
    opened = null
    ran = asked
    looked = null
    outcome = null
    await watched.start(() => books.start(asking, again))
  }

  function keydown(event: KeyboardEvent): void {
    const command = commandIn(event, 'book')
    if (command !== 'book.save' && command !== 'book.run') return
    event.preventDefault()
    event.stopPropagation()
    if (command === 'book.save') void open.save()
    else void start()
  }

  async function openKept(run: Schemas['BookRunOut']): Promise<void> {
    looked = null
    if (await watched.start(() => watched.look(run.id))) opened = run
    go(`/books/${id}`)
  }

  // A book that is opened shows what it came to when it was run last, if that was this text on this evening.
  let begun = false
  $effect(() => {
    if (begun || !open.saved || !market.asOf || reading.reading || reading.broken) return
    begun = true
    untrack(() => void start())
  })
  $effect(() => () => {
    watched.leave()
    picks.leave()
  })

  const narrow = new MediaQuery('max-width: 999px')
  let writing = $state(false)
</script>

<svelte:window
  onkeydowncapture={keydown}
  onbeforeunload={(event) => open.dirty && !open.kept && event.preventDefault()}
/>

{#if open.failed}
  <div class="p-12">
    <p role="alert" class="text-loss">{open.failed}</p>
    <button class="quiet mt-4" onclick={() => go('/books')}>All books</button>
  </div>
{:else if !open.saved}
  <p class="p-12 text-ink2">Opening the book …</p>
{:else}
  <div class="flex h-full {narrow.current ? 'flex-col' : ''}" data-book={standing}>
    {#if narrow.current}
      <NarrowSwitch bind:writing text="The book" />
    {/if}
    <div
      class={narrow.current ? 'min-h-0 flex-1' : 'w-[420px] shrink-0 border-r border-hair'}
      class:hidden={narrow.current && !writing}
    >
      <BookPane
        {open}
        {reading}
        {result}
        bind:first
        bind:last
        busy={watched.busy}
        old={!fresh}
        onrun={() => void start()}
        onoutcome={(name) => {
          outcome = name
          writing = false
          go(`/books/${id}/trades`)
        }}
        onbroken={() => void start()}
      />
    </div>
    <Tabs.Root
      value={tab}
      onValueChange={(next) => go(next === 'equity' ? `/books/${id}` : `/books/${id}/${next}`)}
      class="min-h-0 min-w-0 flex-1 flex-col {narrow.current && writing ? 'hidden' : 'flex'}"
    >
      <Tabs.List class="flex min-h-[43px] shrink-0 flex-wrap items-stretch gap-x-5 border-b border-hair px-5">
        {#each TABS as [value, label] (value)}
          <Tabs.Trigger {value} class="tab">
            {label}
            {#if value === 'trades' && result}<span class:waits={!fresh}>{whole(result.figures.trades)}</span
              >{/if}
          </Tabs.Trigger>
        {/each}
        <span class="ml-auto flex items-center">
          <button
            class="act"
            disabled={reading.broken || watched.busy}
            title="Ctrl Enter"
            onclick={() => start(fresh)}>Run the book</button
          >
        </span>
      </Tabs.List>
      <div class="relative min-h-0 flex-1 overflow-auto px-5 py-3">
        <Progress {watched} onagain={() => start()} />
        {#if opened}
          <p class="mb-2 text-[13px] text-ember">
            A kept run{opened.version ? ` of version ${opened.version}` : ''}, {opened.words}.
            <button class="underline underline-offset-3" onclick={() => start()}
              >Back to the book as it stands</button
            >
          </p>
        {:else if result && !fresh && !watched.busy && ran !== asked && tab !== 'kept' && tab !== 'today'}
          <p class="mb-2 text-[13px] text-ember">
            Something changed since this was run.
            <button class="underline underline-offset-3" disabled={reading.broken} onclick={() => start()}
              >Run it again</button
            >
          </p>
        {/if}
        {#if tab === 'kept'}
          {#await kept() then { default: Kept }}
            <Kept book={open.saved} dirty={open.dirty} onopen={openKept} onrestored={open.take} />
          {/await}
        {:else if tab === 'today'}
          {#await today() then { default: Today }}
            <Today {asking} broken={reading.broken} reading={reading.reading} />
          {/await}
        {:else if !result}
          {#if !watched.busy && !watched.failed}
            <p class="text-ink2">{reading.broken ? 'Fix the book, then run it.' : 'Not run yet.'}</p>
          {/if}
        {:else if watched.run}
          <div class:opacity-60={!opened && !(tab === 'sweep' || tab === 'walk' ? sameButDials : fresh)}>
            {#if tab === 'equity'}
              {#await equity() then { default: Equity }}
                <Equity
                  {result}
                  luck={luckSaid}
                  run={watched.run.id}
                  ontrade={(trade) => {
                    looked = trade
                    go(`/books/${id}/trades`)
                  }}
                />
              {/await}
            {:else if tab === 'trades'}
              {#await trades() then { default: Trades }}
                <Trades {result} run={watched.run.id} bind:looked bind:outcome />
              {/await}
            {:else if tab === 'luck'}
              {#await luck() then { default: Luck }}
                <Luck
                  run={watched.run.id}
                  {result}
                  {picks}
                  luck={luckSaid}
                  ranked={reading.said?.ranked ?? true}
                />
              {/await}
            {:else if tab === 'sweep'}
              {#await sweep() then { default: Sweep }}
                <Sweep
                  run={watched.run.id}
                  dials={reading.said?.dials ?? []}
                  slots={result.slots}
                  onset={(values) =>
                    (open.body = values.reduce(
                      (now, v) =>
                        v.name === 'slots'
                          ? now.replace(/^(\s*slots\s*:\s*)\S+/m, `$1${v.value}`)
                          : turnDial(now, v.name, v.value, v.percent),
                      open.body,
                    ))}
                />
              {/await}
            {:else if tab === 'walk'}
              {#await walk() then { default: Walk }}
                <Walk run={watched.run.id} dials={reading.said?.dials ?? []} slots={result.slots} />
              {/await}
            {/if}
          </div>
          {#if result.sealed_from && !result.unsealed && tab === 'equity'}
            <p class="mt-4 text-[13px] text-ink3">It ends at the seal, {day(result.sealed_from)}.</p>
          {/if}
        {/if}
      </div>
    </Tabs.Root>
  </div>
{/if}
