<script lang="ts">
  /** Rules that run by themselves: when, over what, and where their hits go. */
  import { untrack } from 'svelte'
  import { sentence, type Schemas } from '$lib/api'
  import { attempt, once, undoable } from '$lib/mutation'
  import { hits, moment } from '$lib/format'
  import { deskApi, scopeName, STAGES, type Schedule } from '$lib/desk'
  import { market } from '$lib/market.svelte'
  import { ask, query } from '$lib/queries'
  import { go } from '$lib/router.svelte'

  const DAYS = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri']
  const answer = query(() => ask.schedules())
  const rules = query(() => ask.rules())
  const all = $derived(answer.data ?? null)
  const scopes = $derived([
    ...(market.now?.universes ?? []),
    ...STAGES,
    ...market.lists.map((list) => list.name),
  ])
  const USUAL: Schemas['ScheduleIn'] = {
    rule: 0,
    universe: '',
    weekdays: [0, 1, 2, 3, 4],
    times: ['close'],
    mails: true,
    only_new: true,
    puts: '',
    on: true,
  }
  /** The rule that a schedule is begun from, where it is. */
  const { rule = null }: { rule?: number | null } = $props()
  let form = $state(untrack(() => ({ ...USUAL, rule: rule ?? 0 })))
  $effect(() => {
    const named = rule
    untrack(() => {
      if (named && editing === null) form.rule = named
    })
  })
  let editing = $state<number | null>(null)
  let times = $state('')

  const ABOUT = ['alerts', 'lists']

  const body = (): Schemas['ScheduleIn'] => ({
    ...form,
    rule: form.rule || (rules.data?.[0]?.id ?? 0),
    puts: form.puts?.trim() ?? '',
    times: [
      ...(form.times ?? []).filter((one) => one === 'close'),
      ...times
        .split(/[\s,]+/)
        .filter(Boolean)
        .map((one) => (/^\d:/.test(one) ? `0${one}` : one)),
    ],
  })

  const set = once(async () => {
    const [asked, typed] = [body(), JSON.stringify([form, times, editing])]
    await attempt(ABOUT, async () => {
      await (editing === null ? deskApi.setSchedule(asked) : deskApi.changeSchedule(editing, asked))
      if (JSON.stringify([form, times, editing]) !== typed) return // what was typed since is for the next one
      form = { ...USUAL }
      times = ''
      editing = null
    })
  })

  function edit(one: Schedule): void {
    const { rule, universe, weekdays, mails, only_new, puts, on } = one
    form = {
      rule,
      universe,
      weekdays,
      mails,
      only_new,
      puts,
      on,
      times: one.times.filter((t) => t === 'close'),
    }
    times = one.times.filter((t) => t !== 'close').join(', ')
    editing = one.id
  }

  const change = (one: Schedule, on: boolean) =>
    attempt(ABOUT, () => {
      const { rule, universe, weekdays, mails, only_new, puts } = one
      return deskApi.changeSchedule(one.id, {
        rule,
        universe,
        weekdays,
        mails,
        only_new,
        puts,
        times: one.times,
        on,
      })
    })

  const remove = (one: Schedule) =>
    attempt(ABOUT, async () => {
      await deskApi.removeSchedule(one.id)
      undoable(`“${one.rule_name}” is no longer scheduled.`, ABOUT, () => deskApi.restoreSchedule(one.id))
    })

  const saidDays = (days: number[]) =>
    days.length === 5 ? 'every session' : days.map((d) => DAYS[d]).join(' ')
  const saidTimes = (said: string[]) =>
    said.map((one) => (one === 'close' ? 'after the close' : `at ${one}`)).join(', ')
</script>

<div class="overflow-auto px-5 pt-3 pb-10">
  <form class="flex flex-wrap items-baseline gap-x-3 gap-y-2 text-[13px] text-ink2" onsubmit={set}>
    <label class="flex items-baseline gap-1.5"
      >Run <select
        class="field max-w-[240px] py-0"
        aria-label="Which rule"
        value={form.rule || (rules.data?.[0]?.id ?? 0)}
        onchange={(event) => (form.rule = Number(event.currentTarget.value))}
      >
        {#each rules.data ?? [] as rule (rule.id)}<option value={rule.id}>{rule.name}</option>{/each}
      </select></label
    >
    <label class="flex items-baseline gap-1.5"
      >on <select
        class="field max-w-[200px] py-0"
        aria-label="Over which universe or list"
        bind:value={form.universe}
      >
        <option value="">its own universe</option>
        {#each scopes as name (name)}<option value={name}>{scopeName(name)}</option>{/each}
      </select></label
    >
    <span class="flex gap-2" role="group" aria-label="Weekdays">
      {#each DAYS as name, d (d)}
        <label class="flex items-center gap-1"
          ><input
            type="checkbox"
            class="tick"
            checked={form.weekdays?.includes(d)}
            onchange={(event) =>
              (form.weekdays = event.currentTarget.checked
                ? [...(form.weekdays ?? []), d].sort()
                : (form.weekdays ?? []).filter((one) => one !== d))}
          />{name}</label
        >
      {/each}
    </span>
    <label class="flex items-center gap-1"
      ><input
        type="checkbox"
        class="tick"
        checked={form.times?.includes('close')}
        onchange={(event) => (form.times = event.currentTarget.checked ? ['close'] : [])}
      />after the close</label
    >
    {#if market.now?.hours}
      <label class="flex items-baseline gap-1.5"
        >and at <input
          class="field w-28 py-0 font-mono"
          placeholder="10:30, 15:30"
          aria-label="Minutes of the session"
          bind:value={times}
        /></label
      >
    {/if}
    <label class="flex items-center gap-1"
      ><input type="checkbox" class="tick" bind:checked={form.mails} />mail the hits</label
    >
    <label class="flex items-center gap-1"
      ><input type="checkbox" class="tick" disabled={!form.mails} bind:checked={form.only_new} />only when
      there is something new</label
    >
    <label class="flex items-baseline gap-1.5"
      >put new ones on <input
        class="field w-36 py-0"
        maxlength="80"
        list="lists-to-fill"
        placeholder="no list"
        aria-label="List that takes what is new"
        bind:value={form.puts}
      /></label
    >
    <datalist id="lists-to-fill">
      {#each market.lists as list (list.id)}<option value={list.name}></option>{/each}
    </datalist>
    <button class="quiet">{editing === null ? 'Schedule' : 'Save'}</button>
    {#if editing !== null}<button
        type="button"
        class="link"
        onclick={() => {
          editing = null
          form = { ...USUAL }
          times = ''
        }}>Cancel</button
      >{/if}
  </form>
  {#if answer.error}
    <p role="alert" class="mt-4 text-loss">{sentence(answer.error)}</p>
  {:else if !all}
    <p class="mt-4 text-ink2">Loading …</p>
  {:else if !all.length}
    <p class="mt-4 max-w-[64ch] text-ink2">
      No rule is scheduled. One that fills a list and another that watches that list make a chain: what is
      found in the evening is looked at for its trigger from the next session on.
    </p>
  {:else}
    <ul class="mt-3 text-[14px]">
      {#each all as one (one.id)}
        <li
          class="flex flex-wrap items-baseline gap-x-4 border-b border-hair/60 py-1.5 {one.on
            ? ''
            : 'text-ink3'}"
        >
          <span class="min-w-0 flex-1">
            <button class="font-semibold hover:underline" onclick={() => go(`/rules/${one.rule}`)}
              >{one.rule_name}</button
            >
            on {one.universe ? scopeName(one.universe) : 'its own universe'}, {saidDays(one.weekdays)}
            {saidTimes(one.times)}:
            {[
              one.mails ? (one.only_new ? 'mails the hits when there are new ones' : 'mails the hits') : '',
              one.puts ? `puts new ones on “${one.puts}”` : '',
            ]
              .filter(Boolean)
              .join(' and ')}
            {#each one.chain as next (next)}<span class="text-ember"> → {next}</span>{/each}
            <span class="block text-[12px] text-ink3">
              {#if one.trouble}<span class="text-loss">{one.trouble}</span>
              {:else if one.ran}ran {moment(one.ran)}, {hits(one.hits)}{:else}has not run yet{/if}
            </span>
          </span>
          <span class="flex gap-3 text-[13px]">
            <button class="link" onclick={() => edit(one)} aria-label="Change the schedule of {one.rule_name}"
              >Change</button
            >
            <button class="link" onclick={() => change(one, !one.on)}>{one.on ? 'Pause' : 'Go on'}</button>
            <button
              class="link"
              aria-label="Delete the schedule of {one.rule_name}"
              onclick={() => remove(one)}>✕</button
            >
          </span>
        </li>
      {/each}
    </ul>
  {/if}
</div>
