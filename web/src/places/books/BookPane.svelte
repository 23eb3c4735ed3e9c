<script lang="ts">
  /** The text of a book: its head as a sentence of controls, its lines, and what came of its signals. */
  import { DropdownMenu } from 'bits-ui'
  import { books, type BookResult, type RuleProblem } from '$lib/api'
  import { attempt, undoable } from '$lib/mutation'
  import { commandIn } from '$lib/commands'
  import { download } from '$lib/csv'
  import DayPick from '$lib/DayPick.svelte'
  import Editor from '$lib/editor/Editor.svelte'
  import { textsOf } from '$lib/editor/texts'
  import { day } from '$lib/format'
  import { dayOf, market } from '$lib/market.svelte'
  import { tell } from '$lib/notice.svelte'
  import Meanwhile from '$lib/open/Meanwhile.svelte'
  import { ask, query } from '$lib/queries'
  import { go } from '$lib/router.svelte'
  import { turnDial } from '$lib/rule/headers'
  import Dials from '$lib/ui/Dials.svelte'
  import Universe from '$lib/ui/Universe.svelte'
  import BookSeal from './BookSeal.svelte'
  import { offsetOf, split, WORDS } from './head'
  import type { OpenBook, Reading } from './open.svelte'
  import Said from './Said.svelte'
  import Signals from './Signals.svelte'
  import Sizes from '$lib/ui/Sizes.svelte'

  interface Props {
    open: OpenBook
    reading: Reading
    result: BookResult | null
    first: string
    last: string
    busy: boolean
    /** Whether the result is of another text. */
    old: boolean
    onrun: () => void
    onoutcome: (name: string) => void
    onbroken: () => void
  }
  let {
    open,
    reading,
    result,
    first = $bindable(),
    last = $bindable(),
    busy,
    old,
    onrun,
    onoutcome,
    onbroken,
  }: Props = $props()
  let editor: ReturnType<typeof Editor> | undefined = $state()
  let aloud = $state(false)
  let sized = $state(false)
  let editingAbout = $state(false)
  const offset = $derived(offsetOf(open.headers))
  const rules = query(() => ask.rules())
  const breadths = query(() => ask.breadths())
  const names = query(() => ask.positionNames())
  // Names of a position complete as entries do.
  const entries = $derived([
    ...(names.data ?? []).map((n) => ({
      name: n.name,
      signature: n.name,
      help: `${n.help} Known in ${n.where.map((w) => `“${w}”`).join(', ')}.`,
      example: n.example,
      family: 'a position',
      result: 'number',
      bare: true,
      warm_up: 'never',
    })),
    ...market.entries,
  ]) as typeof market.entries
  const monthOf = (iso: string | undefined) => (iso ? day(iso).replace(/^\d+ /, '') : '')
  const only = $derived(/^only\b/i.test(open.headers.universe ?? ''))

  const remove = () =>
    attempt(['books'], async () => {
      const book = open.saved!
      await books.remove(book.id)
      go('/books')
      undoable(`“${book.name}” is deleted.`, ['books'], async () =>
        go(`/books/${(await books.restore(book.id)).id}`),
      )
    })

  const mirror = () =>
    attempt(['books'], async () => {
      const found = await books.mirror(open.text)
      const made = await books.create(found.text, `${open.saved!.name.slice(0, 100)}, other side`)
      go(`/books/${made.id}`)
      if (found.notes.length)
        tell(
          found.notes
            .map((note) => (note.line ? `Line ${note.line - offset}: ${note.text}` : note.text))
            .join(' '),
        )
    })

  function keydown(event: KeyboardEvent): void {
    if (commandIn(event, 'book') !== 'book.edit') return
    event.preventDefault()
    editor?.focus()
  }
</script>

<svelte:window onkeydown={keydown} />

<section class="flex h-full flex-col" aria-label="The book">
  <div class="border-b border-hair px-4 pt-2.5 pb-2">
    <h1 class="sr-only">{open.saved!.name}</h1>
    <div class="flex items-baseline gap-3">
      <input
        class="min-w-0 flex-1 truncate bg-transparent font-title text-[22px]"
        aria-label="Name of the book"
        value={open.headers.name ?? open.saved!.name}
        onchange={(event) => void open.rename(event.currentTarget.value)}
        onkeydown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
      />
      <span class="text-[13px] text-ink3" aria-live="polite"
        >v{open.saved!.version}{reading.errors.length && !reading.reading
          ? `, ${reading.errors.length} ${reading.errors.length === 1 ? 'error' : 'errors'}`
          : open.dirty
            ? ', not saved'
            : ''}</span
      >
      {#if open.dirty}<button class="act" onclick={open.save} title="Ctrl S">Save</button>{/if}
      <DropdownMenu.Root>
        <DropdownMenu.Trigger class="link text-[13px]">More</DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content preventScroll={false} align="end" class="menu">
            <DropdownMenu.Item onSelect={() => (aloud = !aloud)}>Read aloud</DropdownMenu.Item>
            <DropdownMenu.Item onSelect={() => (sized = !sized)}>What a stop costs</DropdownMenu.Item>
            <DropdownMenu.Item onSelect={() => (editingAbout = true)}>Describe it</DropdownMenu.Item>
            <DropdownMenu.Item
              onSelect={() =>
                attempt(['books'], async () => {
                  open.body = split((await books.layOut(open.text)).text).body
                })}>Format</DropdownMenu.Item
            >
            <DropdownMenu.Item onSelect={mirror}>Mirror</DropdownMenu.Item>
            <DropdownMenu.Item
              onSelect={() =>
                attempt(['books'], async () =>
                  go(
                    `/books/${(await books.create(open.text, `${open.saved!.name.slice(0, 100)} copy`)).id}`,
                  ),
                )}>Save as a copy</DropdownMenu.Item
            >
            <DropdownMenu.Item onSelect={() => download(`${open.saved!.name}.book`, open.text, 'text/plain')}
              >Save as .book file</DropdownMenu.Item
            >
            {#if open.dirty}
              <DropdownMenu.Item onSelect={open.revert}>Back to the saved text</DropdownMenu.Item>
            {/if}
            <DropdownMenu.Item onSelect={remove}>Delete</DropdownMenu.Item>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
    </div>
    {#if editingAbout}
      <textarea
        class="field mt-1 w-full text-[13px]"
        rows="3"
        aria-label="What the book is about"
        value={open.headers.about ?? ''}
        onblur={(event) => {
          open.set('about', event.currentTarget.value.trim())
          editingAbout = false
        }}
      ></textarea>
    {:else if open.headers.about}
      <p class="mt-0.5 line-clamp-2 text-[13px] leading-snug text-ink2" title={open.headers.about}>
        {open.headers.about}
      </p>
    {/if}
    <div class="mt-1 flex flex-wrap items-baseline gap-x-1.5 text-[13px] text-ink2">
      {#if only}
        <span class="font-semibold text-ink">{open.headers.universe}</span>
      {:else}
        members of that day of
        <span class="font-semibold text-ink">
          <Universe value={open.headers.universe ?? ''} onchange={(next) => open.set('universe', next)} />
        </span>
      {/if}
      · from
      <DayPick
        bind:value={first}
        label="First day that is traded"
        empty={monthOf(market.now?.sessions[0])}
        min={market.now?.sessions[0]}
        max={dayOf(market.asOf) ?? undefined}
      />
      to
      <DayPick
        bind:value={last}
        label="Last day that is traded"
        empty={result?.sealed_from && !result.unsealed ? 'the seal' : 'the evening'}
        min={market.now?.sessions[0]}
        max={dayOf(market.asOf) ?? undefined}
      />
      · begins with
      <input
        class="inline-pick w-[64px] font-semibold text-ink"
        aria-label="Money it begins with"
        placeholder="100k"
        value={open.headers.start ?? ''}
        onchange={(event) => open.set('start', event.currentTarget.value.trim())}
      />
    </div>
  </div>

  <Meanwhile {open} />

  <div class="relative min-h-0 flex-1 overflow-y-auto pt-1">
    <Editor
      bind:this={editor}
      value={open.body}
      errors={reading.reading ? [] : reading.errors}
      advice={reading.broken || reading.reading ? [] : (reading.said?.advice ?? [])}
      {offset}
      {entries}
      onchange={open.type}
      onmeasure={onrun}
      onsave={open.save}
      online={(line) => open.type(open.body, line)}
      onlookup={(name) => go(`/reference/${name}`)}
      onvalue={async () => null}
      onfold={() => {}}
      words={WORDS}
      label="Lines of the book"
      example="stop: entry - 2 * atr(14)"
      texts={textsOf(
        (rules.data ?? []).map((rule) => rule.name),
        breadths.data,
      )}
    />
    <div class="flex flex-col gap-1.5 px-4 py-2 pl-[46px] text-[13px]" aria-live="polite">
      {#if reading.trouble}<p class="text-loss">{reading.trouble}</p>{/if}
      {#if !reading.reading}
        {#each reading.errors as error, e (e)}
          {@render remark(error, true)}
        {/each}
        {#if !reading.broken}
          {#each reading.said?.advice ?? [] as hint, h (h)}
            {@render remark(hint, false)}
          {/each}
        {/if}
      {/if}
    </div>
  </div>
  {#if result}
    <div class="max-h-[30%] shrink-0 overflow-auto border-t border-hair">
      <Signals counts={result.signals} {old} onpick={onoutcome} />
    </div>
  {/if}
  {#if aloud}
    <div class="max-h-[40%] shrink-0 overflow-auto border-t border-hair">
      <Said text={open.text} {offset} onclose={() => (aloud = false)} />
    </div>
  {/if}
  {#if sized}
    <div class="max-h-[45%] shrink-0 overflow-auto border-t border-hair bg-paper2 px-4 py-2">
      <button class="link float-right text-[13px]" onclick={() => (sized = false)}>close</button>
      <Sizes own={result?.sizes.own ?? []} slots={reading.said?.slots} />
    </div>
  {/if}
  {#if reading.said?.dials.length}
    <Dials
      dials={reading.said.dials}
      onturn={(name, value, percent) => (open.body = turnDial(open.body, name, value, percent))}
    />
  {/if}
  <BookSeal book={open.saved!.id} version={open.saved!.version} {busy} {onbroken} />
</section>

{#snippet remark(problem: RuleProblem, wrong: boolean)}
  <p>
    <span class="font-semibold {wrong ? 'text-loss' : 'text-ember'}" aria-hidden="true"
      >{wrong ? '✕' : '!'}</span
    >
    {#if problem.line - offset >= 1}<button
        class="hover:underline"
        title="Go there"
        onclick={() => editor?.focus(problem.line - offset)}>Line {problem.line - offset}:</button
      >{/if}
    {problem.message}
    {#if problem.mend !== null && problem.mend !== undefined}
      <button class="underline underline-offset-3" onclick={() => editor?.apply(problem)}
        >{problem.mend === '' ? 'Remove' : `Write ${problem.mend}`}</button
      >
    {/if}
  </p>
{/snippet}
