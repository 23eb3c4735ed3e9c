<script lang="ts">
  /** How sessions went that began like this one. */
  import { Popover } from 'bits-ui'
  import { api, sentence } from '$lib/api'
  import { attempt, undoable, once } from '$lib/mutation'
  import DayPick from '$lib/DayPick.svelte'
  import { day, longDay, shortDay } from '$lib/format'
  import NumberField from '$lib/NumberField.svelte'
  import { dayOf, market } from '$lib/market.svelte'
  import { tell } from '$lib/notice.svelte'
  import { ask, keepPrevious, query } from '$lib/queries'
  import { go } from '$lib/router.svelte'
  import type { Morning, MorningResult } from '$lib/whole'
  import DotPanel from './DotPanel.svelte'
  import Each from './Each.svelte'
  import { ENDS, MorningChoice, STAGES } from './morning.svelte'
  import Statements from './Statements.svelte'
  import Taper from './Taper.svelte'

  interface Props {
    /** A rule that decides at the open, whose precedents these are. */
    rule?: number | null
  }
  const { rule = null }: Props = $props()
  const choice = new MorningChoice()
  const written = query(() => ({ ...ask.rule(rule ?? 0), enabled: rule !== null }))
  const base = $derived(rule === null ? '' : (written.data?.text ?? null))
  const question = $derived(choice.asked(market.asOf, base ?? ''))
  const answer = query(() => ({ ...ask.precedents(question), ...keepPrevious, enabled: base !== null }))
  /** The last answer: it stays, and is said to be of before, where the next is a problem. */
  let last = $state.raw<Morning | null>(null)
  $effect(() => {
    if (answer.data) last = answer.data.found
  })
  const found = $derived(answer.data?.found ?? last)
  const counting = $derived(
    base === null || answer.isFetching || JSON.stringify(answer.data?.asked) !== JSON.stringify(question),
  )
  const failed = $derived(written.error ?? (counting ? null : answer.error))
  const name = $derived(found?.indices.find((one) => one.symbol === found.index)?.name ?? '')
  const short = shortDay

  const openInRules = once(async () => {
    if (!found) return
    await attempt(['rules'], async () => {
      const head = `name: Mornings like ${day(found.session)}\nabout: Sessions that began like ${longDay(found.session)}, ${STAGES[found.stage]}.\n`
      const own = base || `${head}decide: open\n\nkind == "index"\n`
      const made = await api.create(`${own.trimEnd()}\n${choice.now.lines.join('\n')}\n`)
      go(`/rules/${made.id}`)
      undoable('The ticked lines are a rule of yours now.', ['rules'], () =>
        api.remove(made.id).then(() => go('/precedents')),
      )
    })
  })

  function toggle(symbol: string, on: boolean): void {
    const now = found?.indices.map((one) => one.symbol) ?? []
    const next = on ? [...now, symbol].slice(-4) : now.filter((one) => one !== symbol)
    if (!next.length) return
    choice.set({ indices: next, index: next.includes(choice.now.index ?? '') ? choice.now.index : next[0]! })
  }
</script>

<svelte:head><title>Precedents, Upper Wick</title></svelte:head>
<section
  class="h-full overflow-auto min-[1000px]:overflow-hidden"
  data-state={counting ? 'counting' : 'counted'}
>
  {#if market.now && !market.now.sessions.length}
    <div class="max-w-[62ch] px-6 py-8">
      <h1 class="font-title text-[23px]">How sessions went that began like this one</h1>
      <p class="mt-2 text-ink2">
        It needs daily bars of an index, or of any instrument. Overnight bars add what is known of the night,
        bars of five minutes the morning, announcements the calendar.
      </p>
      <button class="act mt-3" onclick={() => go('/data')}>Import prices</button>
    </div>
  {:else if failed && !found}
    <p role="alert" class="px-6 py-8 text-loss">
      {sentence(failed)}
      <button class="link" onclick={() => answer.refetch()}>Try again</button>
      {#if rule !== null}<button class="link" onclick={() => go(`/rules/${rule}`)}>Open the rule</button>{/if}
    </p>
  {:else if !found}
    <p class="px-6 py-8 text-ink2">Loading …</p>
  {:else}
    <div class="grid h-full grid-cols-1 min-[1000px]:grid-cols-[420px_minmax(0,1fr)]">
      <div class="flex min-h-0 flex-col border-hair min-[1000px]:border-r">
        <div class="min-h-0 flex-1 overflow-auto px-5 pt-3 pb-4">
          <h1 class="font-title text-[23px] leading-tight">
            {short(found.session)},
            <select
              class="inline-pick"
              aria-label="What is known of the morning"
              value={found.stage}
              onchange={(event) => choice.set({ stage: event.currentTarget.value as 'night', both: null })}
            >
              {#each found.stages as stage (stage)}<option value={stage}>{STAGES[stage]}</option>{/each}
            </select>
          </h1>
          <p class="mt-0.5 text-[13px] text-ink2">
            {#if rule !== null}Of the rule <button
                class="font-semibold text-ink underline underline-offset-3"
                onclick={() => go(`/rules/${rule}`)}>{written.data?.name}</button
              >; tick what shall be true besides.
            {:else}What is true this morning of
              <select
                class="inline-pick font-semibold text-ink"
                aria-label="Index whose morning it is"
                value={found.index}
                onchange={(event) => choice.set({ index: event.currentTarget.value })}
              >
                {#each found.indices as one (one.symbol)}<option value={one.symbol}>{one.name}</option>{/each}
              </select>, and in what share of all sessions it was. Tick what you think matters.{/if}
            {#if !found.stages.includes('night')}<span class="block text-ink3"
                >Its night is not in the data{found.stages.length === 1 ? ' yet' : ''}.</span
              >{/if}
          </p>
          <div class:waits={counting}>
            {#if rule !== null && found.lines.length}
              <h2 class="mt-3 font-title text-[17px]">Lines of the rule</h2>
              <ul class="text-[12.5px]">
                {#each found.lines.filter((line) => !choice.now.lines.includes(line.text)) as line (line.number)}
                  <li class="flex gap-2 py-[3px] font-mono">
                    <span class="min-w-0 flex-1 break-words">{line.text}</span>
                    <span
                      class="shrink-0 font-sans text-[11px] {line.this === false ? 'text-loss' : 'text-ink3'}"
                      >{line.this === null
                        ? 'open'
                        : line.this
                          ? 'so this morning'
                          : 'not so this morning'}</span
                    >
                  </li>
                {/each}
              </ul>
            {/if}
            <Statements
              morning={found}
              ticked={choice.now.lines}
              both={choice.now.both}
              ontick={(line, on) => choice.tick(line, on)}
              onboth={(both) => choice.set({ both })}
            />
          </div>
        </div>
        <div class="shrink-0 border-t border-hair px-5 py-2.5" class:waits={counting}>
          <Taper morning={found} />
          <p class="mt-1.5 flex gap-4 text-[13px] text-ink2">
            <span
              >The same as a rule: <button
                class="underline underline-offset-3"
                disabled={!choice.now.lines.length && rule === null}
                title={choice.now.lines.length
                  ? 'Any line can be added by hand there'
                  : 'Tick something first'}
                onclick={openInRules}>open it in Rules</button
              ></span
            >
            {#if choice.now.lines.length}<button
                class="link ml-auto"
                onclick={() => {
                  const before = [...choice.now.lines]
                  choice.set({ lines: [] })
                  tell('All ticks are away.', { label: 'Undo', run: () => choice.set({ lines: before }) })
                }}>Untick all</button
              >{/if}
          </p>
        </div>
      </div>
      <div class="min-h-0 px-5 pt-3 pb-10 min-[1000px]:overflow-auto" class:waits={counting}>
        {#if failed}<p role="alert" class="mb-2 text-loss">
            {sentence(failed)} Figures below are not updated.
          </p>{/if}
        {#if found.results.length === 1}{@render verdict(found.results[0]!)}{/if}
        <div class="text-[13px] text-ink2">
          from the open to
          <select
            class="inline-pick max-w-none! font-semibold text-ink"
            aria-label="To which close"
            value={choice.now.closes}
            onchange={(event) => choice.set({ closes: Number(event.currentTarget.value) as 0 | 1 | 5 })}
          >
            {#each ENDS as [closes, said] (closes)}<option value={closes}>{said}</option>{/each}
          </select>, cost
          <NumberField
            class="inline-pick num w-12 text-left! text-ink"
            min={0}
            max={5}
            step={0.01}
            label="Cost a side, in percent"
            value={Number((choice.now.cost * 100).toFixed(4))}
            onvalue={(value) => choice.set({ cost: (value ?? 0) / 100 })}
          />% a side · sessions since
          <DayPick
            bind:value={() => choice.now.first ?? '', (value) => choice.set({ first: value || null })}
            label="First session that counts"
            empty="the beginning"
            min={market.now?.sessions[0]}
            max={dayOf(market.asOf) ?? undefined}
          />
          ·
          <Popover.Root>
            <Popover.Trigger class="inline-pick font-semibold text-ink"
              >{found.indices.length === 1 ? 'one index' : `${found.indices.length} indices`}</Popover.Trigger
            >
            <Popover.Portal>
              <Popover.Content align="start" sideOffset={4} class="pop w-[260px]">
                <p class="text-ink3">Side by side, four at most</p>
                {#each found.offered as one (one.symbol)}
                  <label class="flex gap-2"
                    ><input
                      type="checkbox"
                      class="tick"
                      checked={found.indices.some((other) => other.symbol === one.symbol)}
                      onchange={(event) => toggle(one.symbol, event.currentTarget.checked)}
                    />{one.name}</label
                  >
                {/each}
              </Popover.Content>
            </Popover.Portal>
          </Popover.Root>
        </div>
        {#each found.results as result (result.line)}
          <div class="mt-2">
            {#if result.line}<p class="mb-1 font-mono text-[13px] font-semibold text-ember">
                if {result.line}
              </p>{/if}
            {#if found.results.length > 1}{@render verdict(result)}{/if}
            <div
              class="mt-3 grid gap-x-5 gap-y-4 min-[600px]:grid-cols-2 min-[1150px]:grid-cols-[repeat(auto-fit,minmax(160px,1fr))]"
            >
              {#each result.panels as panel (panel.symbol)}
                <DotPanel
                  {panel}
                  name={found.indices.find((one) => one.symbol === panel.symbol)?.name ?? panel.symbol}
                  chosen={panel.symbol === found.index}
                  onpick={() => choice.set({ index: panel.symbol })}
                />
              {/each}
            </div>
            <Each {result} symbol={found.index} {name} />
          </div>
        {/each}
      </div>
    </div>
  {/if}
</section>

{#snippet verdict(result: MorningResult)}
  <p class="font-title text-[22px] leading-snug" aria-live="polite">
    {#if !found?.lines.length && !result.line}
      Nothing is ticked: these are all sessions.
    {:else}{result.verdict}{/if}
  </p>
{/snippet}
