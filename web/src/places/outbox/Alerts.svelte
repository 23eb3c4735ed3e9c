<script lang="ts">
  /** All alerts: what each waits for, whether it is armed, and what it said. */
  import { sentence } from '$lib/api'
  import { removeAlert, setAlert } from '$lib/alerting'
  import { attempt, once } from '$lib/mutation'
  import { day, moment } from '$lib/format'
  import { deskApi, scopeName, STAGES } from '$lib/desk'
  import { market } from '$lib/market.svelte'
  import NumberField from '$lib/NumberField.svelte'
  import { ask, query } from '$lib/queries'
  import { go } from '$lib/router.svelte'

  const answer = query(() => ask.alerts())
  const all = $derived(answer.data ?? null)
  const rules = query(() => ask.rules())
  let kind = $state<'report' | 'rule'>('report')
  let days = $state(2)
  let rule = $state(0)
  let scope = $state<string>('holding')
  const scopes = $derived([
    'holding',
    'planned or holding',
    ...STAGES.filter((name) => name !== 'holding' && name !== 'closed'),
    ...market.lists.map((list) => list.name),
    ...(market.now?.universes ?? []),
  ])

  const add = once(() =>
    setAlert(
      kind === 'report' ? { kind, days, scope } : { kind, rule: rule || (rules.data?.[0]?.id ?? 0), scope },
    ),
  )
</script>

<div class="overflow-auto px-5 pt-3 pb-10">
  <form class="flex flex-wrap items-baseline gap-2 text-[13px] text-ink2" onsubmit={add}>
    Alert me when one of
    <select class="field max-w-[220px] py-0" aria-label="Which instruments" bind:value={scope}>
      {#each scopes as name (name)}<option value={name}>{scopeName(name)}</option>{/each}
    </select>
    <select class="field py-0" aria-label="What happens" bind:value={kind}>
      <option value="report">reports within</option>
      <option value="rule">becomes a hit of</option>
    </select>
    {#if kind === 'report'}
      <NumberField
        class="field num w-14 py-0"
        min={0}
        max={60}
        live
        label="Days before a report"
        value={days}
        onvalue={(value) => (days = Math.round(value ?? 2))}
      />
      days
    {:else}
      <select
        class="field max-w-[260px] py-0"
        aria-label="Which rule"
        value={rule || (rules.data?.[0]?.id ?? 0)}
        onchange={(event) => (rule = Number(event.currentTarget.value))}
      >
        {#each rules.data ?? [] as one (one.id)}<option value={one.id}>{one.name}</option>{/each}
      </select>
    {/if}
    <button class="quiet">Set alert</button>
    <span class="ml-auto text-ink3"
      >Prices and lines: <i>Alert</i> on a chart. Rules on their own universe: under <i>More</i>. Breadths:
      <i>Watch this level</i>.</span
    >
  </form>
  {#if answer.error}
    <p role="alert" class="mt-4 text-loss">{sentence(answer.error)}</p>
  {:else if !all}
    <p class="mt-4 text-ink2">Loading …</p>
  {:else if !all.length}
    <p class="mt-4 text-ink2">No alert is set.</p>
  {:else}
    <div class="overflow-x-auto">
      <table class="mt-3 w-full text-[13px]">
        <thead>
          <tr class="border-b border-hair text-ink2">
            <th scope="col" class="py-1 text-left font-semibold">tells when</th>
            <th scope="col" class="pl-4 text-left font-semibold">until</th>
            <th scope="col" class="pl-4 text-left font-semibold">state</th>
            <th scope="col"><span class="sr-only">what can be done</span></th>
          </tr>
        </thead>
        <tbody>
          {#each all as one (one.id)}
            <tr class="border-b border-hair/60 align-baseline">
              <th scope="row" class="py-1.5 text-left {one.armed ? 'font-semibold' : 'font-normal text-ink2'}"
                >{#if one.symbol}<button
                    class="text-left hover:underline"
                    onclick={() => go(`/symbol/${one.symbol}`)}>{one.words}</button
                  >{:else}{one.words}{/if}</th
              >
              <td class="pl-4 whitespace-nowrap">{one.until ? day(one.until) : ''}</td>
              <td class="pl-4">
                {#if one.trouble}<span class="text-loss">{one.trouble}</span>
                {:else if one.fired}{one.armed ? 'armed; last ' : ''}{moment(one.fired)}: {one.said}
                {:else if one.said}{one.said}
                {:else}{one.armed ? 'armed' : 'disarmed'}{/if}
              </td>
              <td class="pl-4 text-right whitespace-nowrap">
                <button
                  class="link"
                  aria-label="{one.armed ? 'Disarm' : 'Arm again'}: {one.words}"
                  onclick={() => attempt(['alerts'], () => deskApi.arm(one.id, !one.armed))}
                  >{one.armed ? 'Disarm' : 'Arm again'}</button
                >
                <button class="link ml-3" aria-label="Delete: {one.words}" onclick={() => removeAlert(one)}
                  >✕</button
                >
              </td>
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
  {/if}
</div>
