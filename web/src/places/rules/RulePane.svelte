<script lang="ts">
  import { api } from '$lib/api'
  import { commandIn } from '$lib/commands'
  import Editor from '$lib/editor/Editor.svelte'
  import { textsOf } from '$lib/editor/texts'
  import type { Place } from '$lib/editor/place'
  import { read } from '$lib/format'
  import { market } from '$lib/market.svelte'
  import { ask, query } from '$lib/queries'
  import { go } from '$lib/router.svelte'
  import { offsetOf, toggleSkip, turnDial } from '$lib/rule/headers'
  import Aloud from './Aloud.svelte'
  import type { Counts } from './counts.svelte'
  import Dials from '$lib/ui/Dials.svelte'
  import type { OpenRule } from './open.svelte'
  import Meanwhile from '$lib/open/Meanwhile.svelte'
  import Remarks from './Remarks.svelte'
  import RuleHead from './RuleHead.svelte'
  import SayIt from './SayIt.svelte'
  import Taper from './Taper.svelte'

  interface Props {
    open: OpenRule
    counts: Counts
    chosen: string | null
    onmeasure: () => void
    onlook: (symbol: string) => void
  }
  const { open, counts, chosen, onmeasure, onlook }: Props = $props()
  let editor: ReturnType<typeof Editor> | undefined = $state()
  let current = $state(1)
  let hidden = $state<number[]>([])
  let places = $state.raw<Place[]>([])
  let readAloud = $state(false)
  const rules = query(() => ask.rules())
  const breadths = query(() => ask.breadths())
  const others = $derived(
    (rules.data ?? []).filter((rule) => rule.id !== open.saved?.id).map((rule) => rule.name),
  )

  const offset = $derived(offsetOf(open.headers))

  async function valueOf(expression: string): Promise<string | null> {
    if (!chosen) return null
    try {
      const { value, shown } = await api.value(open.text, expression, chosen, market.asOf)
      return `${chosen}: ${expression} is ${read(value, shown, expression)}`
    } catch {
      return null // the errors of the rule are said below it already
    }
  }

  function insert(lines: string[]): void {
    const body = open.body.trimEnd()
    open.body = `${body}${body ? '\n' : ''}${lines.join('\n')}\n`
  }

  function keydown(event: KeyboardEvent): void {
    if (commandIn(event, 'rule') !== 'rule.edit') return
    event.preventDefault()
    editor?.focus()
  }
</script>

<svelte:window onkeydown={keydown} />

<section class="flex h-full flex-col" aria-label="The rule">
  <RuleHead {open} {counts} bind:readAloud online={(line) => editor?.focus(line)} oninsert={insert} />

  <Meanwhile {open} />

  <div class="relative min-h-0 flex-1 overflow-y-auto pt-1">
    <div class="flex">
      <div class="min-w-0 flex-1">
        <Editor
          bind:this={editor}
          value={open.body}
          errors={counts.errors}
          advice={counts.advice}
          {offset}
          entries={market.entries}
          onchange={open.type}
          {onmeasure}
          onsave={open.save}
          online={(line) => {
            current = line + offset
            open.type(open.body, line)
          }}
          onlookup={(name) => go(`/reference/${name}`)}
          onvalue={valueOf}
          onfold={(lines) => (hidden = lines)}
          onplaces={(found) => (places = found)}
          texts={textsOf(others, breadths.data)}
        />
      </div>
      {#if counts.scan}
        <Taper
          scan={counts.scan}
          ever={counts.ever}
          {offset}
          {current}
          {hidden}
          {places}
          busy={counts.counting}
          onskip={(line) => (open.body = toggleSkip(open.body, line - offset))}
        />
      {/if}
    </div>

    <Remarks
      {counts}
      {offset}
      {chosen}
      online={(line) => editor?.focus(line)}
      onapply={(mended) => editor?.apply(mended)}
      {onlook}
    />
  </div>

  {#if readAloud}
    <div class="max-h-[40%] shrink-0 overflow-auto">
      <Aloud text={open.text} {offset} onclose={() => (readAloud = false)} />
    </div>
  {/if}
  {#if counts.scan && counts.scan.dials.length}
    <Dials
      dials={counts.scan.dials}
      onturn={(name, value, percent) => (open.body = turnDial(open.body, name, value, percent))}
    />
  {/if}
  <div class="flex items-center gap-4 border-t border-hair bg-paper2 px-4 py-2 text-[13px] text-ink2">
    <SayIt oninsert={insert} />
    <button
      class="hover:text-ink disabled:opacity-50"
      disabled={counts.errors.length > 0}
      onclick={onmeasure}
    >
      Measure <kbd class="ml-1">Ctrl ↵</kbd>
    </button>
  </div>
</section>
