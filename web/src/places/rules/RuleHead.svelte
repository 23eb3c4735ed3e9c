<script lang="ts">
  /** The head of a rule: its name, what can be done with it, and what it is asked of. */
  import { DropdownMenu } from 'bits-ui'
  import { api, sentence } from '$lib/api'
  import { setAlert } from '$lib/alerting'
  import { attempt, undoable, once } from '$lib/mutation'
  import { download } from '$lib/csv'
  import { whole } from '$lib/format'
  import { market } from '$lib/market.svelte'
  import { deskApi } from '$lib/desk'
  import { tell } from '$lib/notice.svelte'
  import { ask, query } from '$lib/queries'
  import { go } from '$lib/router.svelte'
  import { offsetOf, split, withName, type Header } from '$lib/rule/headers'
  import { leave, USUAL } from '$lib/breadth-draft'
  import { removeWithUndo } from './actions'
  import type { Counts } from './counts.svelte'
  import Narrow from './Narrow.svelte'
  import type { OpenRule } from './open.svelte'
  import Universe from '$lib/ui/Universe.svelte'

  interface Props {
    open: OpenRule
    counts: Counts
    readAloud: boolean
    /** Goes to a line of the editor. */
    online: (line: number) => void
    oninsert: (lines: string[]) => void
  }
  let { open, counts, readAloud = $bindable(), online, oninsert }: Props = $props()
  let editingAbout = $state(false)
  let aboutWhole = $state(false)
  let about: HTMLElement | undefined = $state()
  let aboutCut = $state(false)
  $effect(() => {
    void open.headers.about
    if (!about) return
    const look = () => (aboutCut = about!.scrollHeight > about!.clientHeight + 1)
    const watcher = new ResizeObserver(look)
    watcher.observe(about)
    return () => watcher.disconnect()
  })
  const desk = query(() => ask.desk())
  const watched = $derived(desk.data?.watched.some((one) => one.rule === open.saved?.id) ?? false)

  async function watch(): Promise<void> {
    const [id, on] = [open.saved!.id, !watched]
    await attempt(['alerts'], async () => {
      await deskApi.watch(id, on)
      undoable(on ? 'The desk shows its hits from now on.' : 'It is off the desk.', ['alerts'], () =>
        deskApi.watch(id, !on),
      )
    })
  }

  async function tellWhenTrue(): Promise<void> {
    await setAlert({ kind: 'rule', rule: open.saved!.id })
  }

  /** The share of members that pass this rule, through history, at the place Breadth. */
  function asBreadth(): void {
    const { universe, bars } = open.headers
    const head = `${universe ? `universe: ${universe}\n` : ''}${bars && bars !== 'day' ? `bars: ${bars}\n` : ''}`
    leave({ id: null, name: '', text: `${head}\nuse "${open.saved!.name}"`, look: { ...USUAL }, mark: '' })
    go('/breadth')
  }
  const offset = $derived(offsetOf(open.headers))
  const first = $derived(counts.errors[0])

  const duplicate = once(() =>
    attempt(['rules'], async () => go(`/rules/${(await api.duplicate(open.saved!.id)).id}`)),
  )

  async function remove(): Promise<void> {
    const rule = open.saved!
    await removeWithUndo(rule, { gone: () => go('/rules'), back: () => go(`/rules/${rule.id}`) })
  }

  async function mirror(): Promise<void> {
    await attempt(['rules'], async () => {
      const found = await api.mirror(open.text)
      const made = await api.create(withName(found.text, `${open.saved!.name.slice(0, 100)}, other side`))
      go(`/rules/${made.id}`)
      tell(
        found.notes.length
          ? found.notes
              .map((note) => (note.line ? `Line ${note.line - offset}: ${note.text}` : note.text))
              .join(' ')
          : 'The rule for the other side is written and saved.',
      )
    })
  }

  async function layOut(): Promise<void> {
    try {
      open.body = split((await api.layOut(open.text)).text).body
    } catch (error) {
      tell(sentence(error))
    }
  }
</script>

{#snippet pick(key: Header, label: string, options: [string, string][], now: string)}
  <select
    class="inline-pick"
    aria-label={label}
    value={now}
    onchange={(event) => open.set(key, event.currentTarget.value)}
  >
    {#each options as [value, said] (value)}<option {value}>{said}</option>{/each}
    {#if now && !options.some(([value]) => value === now)}<option value={now}>{now}</option>{/if}
  </select>
{/snippet}

<div class="border-b border-hair px-4 pt-2.5 pb-2">
  <h1 class="sr-only">{open.saved!.name}</h1>
  <div class="flex items-baseline gap-3">
    <input
      class="min-w-0 flex-1 truncate bg-transparent font-title text-[22px]"
      aria-label="Name of the rule"
      value={open.headers.name ?? open.saved!.name}
      onchange={(event) => void open.rename(event.currentTarget.value)}
      onkeydown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
    />
    <span class="text-[13px] text-ink3" aria-live="polite">
      v{open.saved!.version}{counts.counting
        ? ', counting'
        : counts.errors.length
          ? ','
          : open.dirty
            ? ', not saved yet'
            : ''}
      {#if first && !counts.counting}<button
          class="underline underline-offset-3"
          title="Go to the first"
          onclick={() => online(first.line - offset)}
          >{counts.errors.length} {counts.errors.length === 1 ? 'error' : 'errors'}</button
        >{/if}
    </span>
    {#if open.dirty}
      <button class="act" onclick={open.save} title="Ctrl S">Save</button>
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
        <DropdownMenu.Content preventScroll={false} align="end" class="menu">
          <DropdownMenu.Item onSelect={() => (editingAbout = true)}>Describe it</DropdownMenu.Item>
          <DropdownMenu.Item onSelect={layOut}>Format</DropdownMenu.Item>
          <DropdownMenu.Item onSelect={watch}
            >{watched ? 'Take it off the desk' : 'Watch it on the desk'}</DropdownMenu.Item
          >
          <DropdownMenu.Item onSelect={tellWhenTrue}>Alert me when it is true</DropdownMenu.Item>
          <DropdownMenu.Item onSelect={() => go(`/outbox/schedules/${open.saved!.id}`)}
            >Schedule …</DropdownMenu.Item
          >
          <DropdownMenu.Item onSelect={asBreadth}>Use as a breadth line</DropdownMenu.Item>
          {#if open.headers.decide === 'open' && (open.headers.bars ?? 'day') === 'day'}
            <DropdownMenu.Item onSelect={() => go(`/precedents/rule/${open.saved!.id}`)}
              >Its precedents</DropdownMenu.Item
            >
          {/if}
          <DropdownMenu.Item onSelect={duplicate}>Duplicate</DropdownMenu.Item>
          <DropdownMenu.Item onSelect={() => download(`${open.saved!.name}.rule`, open.text, 'text/plain')}>
            Save as .rule file
          </DropdownMenu.Item>
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
      aria-label="What the rule is about"
      value={open.headers.about ?? ''}
      onblur={(event) => {
        open.set('about', event.currentTarget.value.trim())
        editingAbout = false
      }}
    ></textarea>
  {:else if open.headers.about}
    <p class="mt-0.5 text-[13px] leading-snug text-ink2" class:line-clamp-2={!aboutWhole} bind:this={about}>
      {open.headers.about}
    </p>
    <p class="flex gap-4 text-[12.5px]">
      {#if aboutWhole || aboutCut}
        <button class="link" aria-expanded={aboutWhole} onclick={() => (aboutWhole = !aboutWhole)}
          >{aboutWhole ? 'less' : 'read on'}</button
        >
      {/if}
    </p>
  {/if}
  <div class="mt-1 flex flex-wrap items-baseline gap-x-1.5 text-[13px] text-ink2">
    {@render pick(
      'side',
      'Side',
      [
        ['', 'long'],
        ['short', 'short'],
      ],
      open.headers.side === 'long' ? '' : (open.headers.side ?? ''),
    )}
    ·
    {@render pick(
      'bars',
      'Bars',
      [
        ['', 'day bars'],
        ...(market.now?.frames ?? [])
          .filter((frame) => frame.endsWith('min'))
          .map((frame): [string, string] => [frame, `${frame} bars`]),
        ['week', 'week bars'],
        ['month', 'month bars'],
        ['quarter', 'quarter bars'],
        ['year', 'year bars'],
      ],
      open.headers.bars === 'day' ? '' : (open.headers.bars ?? ''),
    )}
    ·
    {@render pick(
      'decide',
      'Moment of decision',
      [
        ['', 'decided at the close'],
        ['open', 'decided at the open'],
      ],
      open.headers.decide === 'close' ? '' : (open.headers.decide ?? ''),
    )}
    · from
    <span class="font-semibold text-ink">
      <Universe value={open.headers.universe ?? ''} onchange={(next) => open.set('universe', next)} />
    </span>
    · <Narrow body={open.body} {oninsert} />
    <span class="num ml-auto" title="Instruments with a bar on the as-of day in this universe">
      {#if counts.scan}{whole(counts.scan.scanned)} scanned{#if counts.scan.no_bar}, {whole(
            counts.scan.no_bar,
          )} without a bar{/if}{/if}
    </span>
  </div>
</div>
