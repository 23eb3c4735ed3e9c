<script lang="ts">
  /** This rule as it stands beside another version, other dials, another universe or another entry. */
  import { api, type AnyRun, type Schemas } from '$lib/api'
  import { csv, download } from '$lib/csv'
  import { day, hits, percent, whole } from '$lib/format'
  import NumberField from '$lib/NumberField.svelte'
  import { market } from '$lib/market.svelte'
  import { ask, query } from '$lib/queries'
  import { join, split } from '$lib/rule/headers'
  import OnlyIn from './OnlyIn.svelte'
  import Progress from '$lib/Progress.svelte'
  import { Watched } from '$lib/watched.svelte'

  interface Props {
    question: Schemas['StudyIn']
    rule: { id: number; name: string; version: number }
    dials: Schemas['DialOut'][]
    horizon: number
    broken: boolean
    onday: (day: string) => void
    /** A kept comparison to show at first. */
    opened: AnyRun | null
  }
  const { question, rule, dials, horizon, broken, onday, opened }: Props = $props()
  type Way = 'version' | 'dials' | 'universe' | 'entry' | 'members'
  let way = $state<Way>('version')
  const listed = query(() => ask.versions(rule.id))
  const versions = $derived(listed.data ?? [])
  let version = $state<number | null>(null)
  let turned = $state<Record<string, number>>({})
  let universe = $state('')
  let entry = $state<Schemas['StudyIn']['entry']>('signal-close')
  const watched = new Watched('compare', api.comparison)
  const found = $derived(watched.result)
  let measured = $state('')

  // The latest that reads otherwise, until another is chosen.
  $effect(() => {
    if (version !== null && versions.some((v) => v.number === version)) return
    version = (versions.find((v) => v.text !== question.text) ?? versions[0])?.number ?? null
  })
  $effect(() => {
    if (opened?.kind === 'compare') void watched.start(() => watched.look(opened.id))
    return () => watched.leave()
  })

  const names = $derived([...(market.now?.universes ?? []), ...market.lists.map((l) => l.name)])

  /** The other side of the comparison, and how it is called. */
  const other = $derived.by((): { name: string; question: Schemas['StudyIn'] } | null => {
    if (way === 'version') {
      const chosen = versions.find((v) => v.number === version)
      return chosen
        ? { name: `Version ${chosen.number}`, question: { ...question, text: chosen.text } }
        : null
    }
    if (way === 'dials') {
      const changed = dials.filter((d) => turned[d.name] !== undefined && turned[d.name] !== d.value)
      if (!changed.length) return null
      const set = Object.fromEntries(changed.map((d) => [d.name, turned[d.name]!]))
      return {
        name: changed
          .map((d) => `${d.name} ${d.percent ? percent(set[d.name], 1, false) : set[d.name]}`)
          .join(', '),
        question: { ...question, dials: set },
      }
    }
    if (way === 'universe') {
      const { headers, body } = split(question.text)
      const text = join({ ...headers, universe: universe || undefined }, body)
      return text === question.text
        ? null
        : { name: universe || 'all instruments', question: { ...question, text } }
    }
    if (way === 'members')
      return {
        name: question.survivors ? 'Among the members of that day' : 'Among today’s members only (biased)',
        question: { ...question, survivors: !question.survivors },
      }
    return entry === (question.entry ?? 'next-open')
      ? null
      : {
          name: entry === 'signal-close' ? 'At the signal’s close' : 'At the next open',
          question: { ...question, entry },
        }
  })
  const asked = $derived(other ? JSON.stringify([other.question, question, horizon]) : '')

  async function start(): Promise<void> {
    if (!other) return
    const mine = asked
    const body = { first: other.question, second: question, horizon }
    await watched.start(() => api.startComparison(body))
    measured = mine
  }

  const row = (h: Schemas['HorizonOut']) => ({ ...h })
  const rows = $derived(
    found?.differences.map((d) => ({
      d,
      a: row(found.first.horizons.find((h) => h.bars === d.bars)!),
      b: row(found.second.horizons.find((h) => h.bars === d.bars)!),
    })) ?? [],
  )
  const said = $derived(found?.differences.find((d) => d.bars === found.horizon)?.verdict ?? '')

  function save(): void {
    if (!found) return
    const head = [
      'bars',
      'hits_first',
      'excess_first',
      'hits_second',
      'excess_second',
      'difference',
      'low',
      'high',
    ]
    download(
      `${rule.name} compared.csv`,
      csv(
        head,
        rows.map(({ d, a, b }) => [d.bars, a.count, a.excess, b.count, b.excess, d.excess, d.low, d.high]),
      ),
    )
  }
</script>

<div class="flex flex-wrap items-center gap-x-3 gap-y-1.5 text-[13px] text-ink2">
  <label
    >Set this rule beside <select
      class="inline-pick text-ink"
      aria-label="What to compare with"
      bind:value={way}
    >
      <option value="version">a saved version</option>
      {#if dials.length}<option value="dials">other dials</option>{/if}
      <option value="universe">another universe</option>
      <option value="entry">another entry</option>
      <option value="members">{question.survivors ? 'members of that day' : 'today’s members only'}</option>
    </select></label
  >
  {#if way === 'version'}
    <select class="inline-pick text-ink" aria-label="Version" bind:value={version}>
      {#each versions as v (v.number)}<option value={v.number}
          >version {v.number}, {day(v.saved.slice(0, 10))}{v.text === question.text
            ? ' (the same text)'
            : ''}</option
        >{/each}
    </select>
  {:else if way === 'dials'}
    {#each dials as d (d.name)}
      <label
        >{d.name}
        <NumberField
          class="field num w-20 py-0"
          label={d.name}
          min={d.low ?? undefined}
          max={d.high ?? undefined}
          step={d.step ?? 1}
          value={turned[d.name] ?? d.value}
          onvalue={(value) => value !== null && (turned[d.name] = value)}
        /></label
      >
    {/each}
  {:else if way === 'universe'}
    <select class="inline-pick text-ink" aria-label="Other universe" bind:value={universe}>
      <option value="">all instruments</option>
      {#each names as name (name)}<option>{name}</option>{/each}
    </select>
  {:else if way === 'entry'}
    <select class="inline-pick text-ink" aria-label="Other entry" bind:value={entry}>
      <option value="next-open">the next open</option>
      <option value="signal-close">the signal’s close (optimistic)</option>
    </select>
  {/if}
  <span class="ml-auto flex items-center gap-4">
    {#if found}<button class="link" onclick={save}>Save the table</button>{/if}
    <button class="act" disabled={!other || broken || watched.busy} onclick={start}>Compare</button>
  </span>
</div>
{#if !other}
  <p class="mt-2 text-[13px] text-ink3">Choose something that differs from the rule as it stands.</p>
{/if}
<div class="mt-3"><Progress {watched} onagain={start} /></div>
{#if found}
  <div class:opacity-60={measured !== '' && measured !== asked}>
    <h2 class="max-w-[70ch] font-title text-[21px] leading-snug">{said}</h2>
    <p class="mt-1 text-[13px] text-ink2">
      First: {watched.run?.beside ?? ''}, {hits(found.first.hits)}. Second: {measured
        ? 'the rule as it stood'
        : watched.run?.version
          ? `version ${watched.run.version}`
          : 'a text that is not saved'}, {hits(found.second.hits)}. {whole(found.both)} are in both. The difference
      is drawn from the same days for both, so what they share cancels out.
    </p>
    <table class="mt-3 w-full text-[13px]">
      <thead>
        <tr class="text-ink2">
          <th></th>
          <th colspan="3" scope="colgroup" class="border-b border-hair text-center font-semibold">First</th>
          <th colspan="3" scope="colgroup" class="border-b border-hair text-center font-semibold">Second</th>
          <th colspan="2" scope="colgroup" class="border-b border-hair text-center font-semibold"
            >Second less first</th
          >
        </tr>
        <tr class="border-b border-hair text-ink2">
          {#each ['Bars', 'Hits', 'Win rate', 'Excess', 'Hits', 'Win rate', 'Excess', 'Excess', '95% interval'] as head, i (i)}
            <th scope="col" class="pl-3 text-right font-semibold">{head}</th>
          {/each}
        </tr>
      </thead>
      <tbody>
        {#each rows as { d, a, b } (d.bars)}
          <tr class="border-b border-hair/60 {d.bars === found.horizon ? 'bg-row' : ''}">
            <th scope="row" class="num py-[3px] pl-3">{d.bars}</th>
            {#each [a, b] as h, i (i)}
              <td class="num pl-3">{whole(h.count)}</td>
              <td class="num pl-3">{percent(h.win_rate, 1, false)}</td>
              <td class="num pl-3">{percent(h.excess, 2)}</td>
            {/each}
            <td class="num pl-3 font-semibold">{percent(d.excess, 2)}</td>
            <td class="num pl-3 text-ink2"
              >{d.low === null ? '–' : `${percent(d.low, 2)} … ${percent(d.high, 2)}`}</td
            >
          </tr>
        {/each}
      </tbody>
    </table>
    <div class="mt-4 grid grid-cols-2 gap-8">
      {#each [{ title: 'Only the first has', count: found.only_first, f: found.lost, events: found.events_first }, { title: 'Only the second has', count: found.only_second, f: found.gained, events: found.events_second }] as side (side.title)}
        <OnlyIn
          title={side.title}
          count={side.count}
          figures={side.f}
          events={side.events}
          bars={found.horizon}
          {onday}
        />
      {/each}
    </div>
  </div>
{/if}
