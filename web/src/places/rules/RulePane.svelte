<script lang="ts">
  import { DropdownMenu } from 'bits-ui'
  import { api, sentence, type RuleDetail, type RuleProblem, type Scan } from '$lib/api'
  import { commandIn } from '$lib/commands'
  import { download } from '$lib/csv'
  import Editor from '$lib/editor/Editor.svelte'
  import { read, whole } from '$lib/format'
  import { market } from '$lib/market.svelte'
  import { tell } from '$lib/notice.svelte'
  import { go } from '$lib/router.svelte'
  import {
    offsetOf,
    split,
    toggleSkip,
    turnDial,
    withName,
    type Header,
    type HeaderValues,
  } from '$lib/rule/headers'
  import { removeWithUndo } from './actions'
  import Aloud from './Aloud.svelte'
  import Dials from './Dials.svelte'
  import Narrow from './Narrow.svelte'
  import SayIt from './SayIt.svelte'
  import Taper from './Taper.svelte'
  import Universe from './Universe.svelte'

  interface Props {
    rule: RuleDetail
    headers: HeaderValues
    body: string
    scan: Scan | null
    errors: RuleProblem[]
    trouble: string
    dirty: boolean
    text: string
    counting: boolean
    onheader: (key: Header, value: string) => void
    onbody: (text: string) => void
    onrename: (name: string) => void
    onsave: () => void
    onrevert: () => void
    onmeasure: () => void
    chosen: string | null
    onlook: (symbol: string) => void
  }
  const p: Props = $props()
  let editor: ReturnType<typeof Editor> | undefined = $state()
  let nearLine = $state<number | null>(null)
  let current = $state(1)
  let hidden = $state<number[]>([])
  let editingAbout = $state(false)
  let readAloud = $state(false)
  let others = $state<string[]>([])
  api
    .rules()
    .then((found) => (others = found.filter((rule) => rule.id !== p.rule.id).map((rule) => rule.name)))
    .catch(() => (others = []))

  const offset = $derived(offsetOf(p.headers))
  const advice = $derived(p.scan && p.errors.length === 0 ? p.scan.advice : [])
  const lines = $derived(p.body.split('\n').length)
  const shownErrors = $derived(p.errors.map((e) => ({ ...e, at: e.line - offset })))
  const near = $derived.by(() => {
    // eslint-disable-next-line svelte/prefer-svelte-reactivity -- local to this computation
    const byLine = new Map<number, string[]>()
    for (const miss of p.scan?.near_misses ?? [])
      byLine.set(miss.line, [...(byLine.get(miss.line) ?? []), miss.symbol])
    return [...byLine.entries()].sort((a, b) => a[0] - b[0])
  })
  const emptied = $derived(
    p.scan && p.scan.hits_total === 0
      ? p.scan.lines.find((line) => line.depth === 0 && !line.skip && line.left === 0)
      : undefined,
  )

  async function duplicate(): Promise<void> {
    try {
      go(`/rules/${(await api.duplicate(p.rule.id)).id}`)
    } catch (error) {
      tell(sentence(error))
    }
  }

  async function remove(): Promise<void> {
    try {
      await removeWithUndo(p.rule, () => go(`/rules/${p.rule.id}`))
      go('/rules')
    } catch (error) {
      tell(sentence(error))
    }
  }

  async function mirror(): Promise<void> {
    try {
      const found = await api.mirror(p.text)
      const made = await api.create(withName(found.text, `${p.rule.name.slice(0, 100)}, other side`))
      go(`/rules/${made.id}`)
      tell(
        found.notes.length
          ? found.notes.map((note) => `Line ${note.line - offset}: ${note.text}`).join(' ')
          : 'The rule for the other side is written and saved.',
      )
    } catch (error) {
      tell(sentence(error))
    }
  }

  async function layOut(): Promise<void> {
    try {
      p.onbody(split((await api.layOut(p.text)).text).body)
    } catch (error) {
      tell(sentence(error))
    }
  }

  async function valueOf(expression: string): Promise<string | null> {
    if (!p.chosen) return null
    try {
      const { value, shown } = await api.value(p.text, expression, p.chosen, market.asOf)
      return `${p.chosen}: ${expression} is ${read(value, shown, expression)}`
    } catch {
      return null // the errors of the rule are said below it already
    }
  }

  function insert(lines: string[]): void {
    const body = p.body.trimEnd()
    p.onbody(`${body}${body ? '\n' : ''}${lines.join('\n')}\n`)
  }

  function keydown(event: KeyboardEvent): void {
    if (commandIn(event, 'rule') !== 'rule.edit') return
    event.preventDefault()
    editor?.focus()
  }
</script>

<svelte:window onkeydown={keydown} />

{#snippet pick(key: Header, label: string, options: [string, string][], now: string)}
  <select
    class="inline-pick"
    aria-label={label}
    value={now}
    onchange={(event) => p.onheader(key, event.currentTarget.value)}
  >
    {#each options as [value, said] (value)}<option {value}>{said}</option>{/each}
    {#if now && !options.some(([value]) => value === now)}<option value={now}>{now}</option>{/if}
  </select>
{/snippet}

<section class="flex h-full flex-col" aria-label="The rule">
  <div class="border-b border-hair px-4 pt-2.5 pb-2">
    <h1 class="sr-only">{p.rule.name}</h1>
    <div class="flex items-baseline gap-3">
      <input
        class="min-w-0 flex-1 truncate bg-transparent font-title text-[22px]"
        aria-label="Name of the rule"
        value={p.headers.name ?? p.rule.name}
        onchange={(event) => p.onrename(event.currentTarget.value)}
        onkeydown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
      />
      <span class="text-[13px] text-ink3" aria-live="polite">
        v{p.rule.version}{p.counting
          ? ', counting'
          : p.errors.length
            ? ','
            : p.dirty
              ? ', not saved yet'
              : ''}
        {#if shownErrors[0] && !p.counting}<button
            class="underline underline-offset-3"
            title="Go to the first"
            onclick={() => editor?.focus(shownErrors[0]!.at)}>{shownErrors.length} to mend</button
          >{/if}
      </span>
      {#if p.dirty}
        <button class="act" onclick={p.onsave} title="Ctrl S">Save</button>
      {/if}
      <button
        class="link text-[13px]"
        onclick={mirror}
        title="The rule for the other side, as a rule of its own">Mirror</button
      >
      <button class="link text-[13px]" aria-pressed={readAloud} onclick={() => (readAloud = !readAloud)}
        >Read aloud</button
      >
      <DropdownMenu.Root>
        <DropdownMenu.Trigger class="link">More</DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content align="end" class="menu">
            <DropdownMenu.Item onSelect={() => (editingAbout = true)}>Describe it</DropdownMenu.Item>
            <DropdownMenu.Item onSelect={layOut}>Lay it out</DropdownMenu.Item>
            <DropdownMenu.Item onSelect={duplicate}>Duplicate</DropdownMenu.Item>
            <DropdownMenu.Item onSelect={() => download(`${p.rule.name}.rule`, p.text, 'text/plain')}>
              Save as .rule file
            </DropdownMenu.Item>
            {#if p.dirty}
              <DropdownMenu.Item onSelect={p.onrevert}>Back to the saved text</DropdownMenu.Item>
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
        aria-label="What the rule is about"
        value={p.headers.about ?? ''}
        onblur={(event) => {
          p.onheader('about', event.currentTarget.value.trim())
          editingAbout = false
        }}
      ></textarea>
    {:else if p.headers.about}
      <button
        class="mt-0.5 line-clamp-2 cursor-text text-left text-[13px] leading-snug text-ink2"
        title={p.headers.about}
        onclick={() => (editingAbout = true)}>{p.headers.about}</button
      >
    {/if}
    <div class="mt-1 flex flex-wrap items-baseline gap-x-1.5 text-[13px] text-ink2">
      {@render pick(
        'side',
        'Side',
        [
          ['', 'long'],
          ['short', 'short'],
        ],
        p.headers.side === 'long' ? '' : (p.headers.side ?? ''),
      )}
      ·
      {@render pick(
        'bars',
        'Bars',
        [
          ['', 'day bars'],
          ['week', 'week bars'],
          ['month', 'month bars'],
        ],
        p.headers.bars === 'day' ? '' : (p.headers.bars ?? ''),
      )}
      ·
      {@render pick(
        'decide',
        'Moment of decision',
        [
          ['', 'decided at the close'],
          ['open', 'decided at the open'],
        ],
        p.headers.decide === 'close' ? '' : (p.headers.decide ?? ''),
      )}
      · from
      <span class="font-semibold text-ink">
        <Universe value={p.headers.universe ?? ''} onchange={(next) => p.onheader('universe', next)} />
      </span>
      · <Narrow body={p.body} oninsert={insert} />
      <span class="num ml-auto" title="Instruments with a bar on the as-of day in this universe">
        {#if p.scan}{whole(p.scan.scanned)} scanned{#if p.scan.no_bar}, {whole(p.scan.no_bar)} without a bar{/if}{/if}
      </span>
    </div>
  </div>

  <div class="relative min-h-0 flex-1 overflow-y-auto pt-1">
    <div class="flex" style:min-height="{(lines - hidden.length) * 30}px">
      <div class="min-w-0 flex-1">
        <Editor
          bind:this={editor}
          value={p.body}
          errors={p.errors}
          {advice}
          {offset}
          entries={market.entries}
          onchange={p.onbody}
          onmeasure={p.onmeasure}
          onsave={p.onsave}
          online={(line) => (current = line + offset)}
          onlookup={(name) => go(`/reference/${name}`)}
          onvalue={valueOf}
          onfold={(lines) => (hidden = lines)}
          texts={{ rules: others, sectors: market.now?.sectors ?? [], events: market.now?.events ?? [] }}
        />
      </div>
      {#if p.scan}
        <Taper
          scan={p.scan}
          {offset}
          {current}
          {hidden}
          stale={p.errors.length > 0 || p.trouble !== ''}
          onskip={(line) => p.onbody(toggleSkip(p.body, line - offset))}
        />
      {/if}
    </div>

    <div class="flex flex-col gap-1.5 px-4 py-2 pl-[46px] text-[13px]" aria-live="polite">
      {#if p.trouble}<p class="text-loss">{p.trouble}</p>{/if}
      {#each shownErrors as error (`${error.line}:${error.column}:${error.message}`)}
        <p>
          <span class="font-semibold text-loss" aria-hidden="true">✕</span>
          {#if error.at >= 1}<button
              class="hover:underline"
              title="Go there"
              onclick={() => editor?.focus(error.at)}>Line {error.at}, column {error.column}:</button
            >{/if}
          {error.message}
          {#if error.mend !== null && error.mend !== undefined}
            <button class="underline underline-offset-3" onclick={() => editor?.apply(error)}>
              {error.mend === '' ? 'Take it out' : `Write ${error.mend}`}
            </button>
          {/if}
        </p>
      {/each}
      {#each advice as hint (`${hint.line}:${hint.column}:${hint.message}`)}
        <p>
          <span class="font-semibold text-ember" aria-hidden="true">!</span>
          <button class="hover:underline" title="Go there" onclick={() => editor?.focus(hint.line - offset)}
            >Line {hint.line - offset}:</button
          >
          {hint.message}
          {#if hint.mend}
            <button class="underline underline-offset-3" onclick={() => editor?.apply(hint)}
              >Write {hint.mend}</button
            >
          {/if}
        </p>
      {/each}
      {#if p.scan && p.errors.length === 0}
        {#if emptied}
          <p>
            <span class="font-semibold text-ember">No hits.</span> Line {emptied.number - offset} empties the list:
            <code class="font-mono">{emptied.text}</code>
          </p>
        {/if}
        {#if near.length}
          <p class="text-ink2">
            {whole(p.scan.near_misses.length)} near {p.scan.near_misses.length === 1 ? 'miss' : 'misses'}:
            {#each near as [line, symbols], i (line)}{i ? ', ' : ''}<button
                class="underline underline-offset-3"
                aria-expanded={nearLine === line}
                onclick={() => (nearLine = nearLine === line ? null : line)}
                >{whole(symbols.length)}
                {symbols.length === 1 ? 'fails' : 'fail'} only line {line - offset}</button
              >{/each}.
          </p>
          {#each near.filter(([line]) => line === nearLine) as [line, symbols] (line)}
            <p class="font-mono text-[12px] leading-relaxed text-ink2">
              {#each symbols as symbol (symbol)}<button
                  class="mr-2.5 hover:text-ink hover:underline {p.chosen === symbol
                    ? 'font-semibold text-ink'
                    : ''}"
                  title="Look at its chart"
                  onclick={() => p.onlook(symbol)}>{symbol}</button
                >{/each}
            </p>
          {/each}
        {/if}
      {/if}
    </div>
  </div>

  {#if readAloud}
    <div class="max-h-[40%] shrink-0 overflow-auto">
      <Aloud text={p.text} {offset} onclose={() => (readAloud = false)} />
    </div>
  {/if}
  {#if p.scan && p.scan.dials.length}
    <Dials
      dials={p.scan.dials}
      onturn={(name, value, percent) => p.onbody(turnDial(p.body, name, value, percent))}
    />
  {/if}
  <div class="flex items-center gap-4 border-t border-hair bg-paper2 px-4 py-2 text-[13px] text-ink2">
    <SayIt oninsert={insert} />
    <button class="hover:text-ink disabled:opacity-50" disabled={p.errors.length > 0} onclick={p.onmeasure}>
      Measure <kbd class="ml-1">Ctrl ↵</kbd>
    </button>
  </div>
</section>
