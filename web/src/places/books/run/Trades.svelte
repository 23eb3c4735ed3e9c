<script lang="ts">
  /** Every trade of a run, sortable and filtered; one of them on its chart; or the signals that came to nothing. */
  import type { BookResult, BookTrade } from '$lib/api'
  import { day, fixed, percent, price, tone, whole } from '$lib/format'
  import { REASONS } from '$lib/constants'
  import OnChart from './OnChart.svelte'
  import SignalList from './SignalList.svelte'

  interface Props {
    result: BookResult
    run: number
    looked: { number: number; part: number } | null
    outcome: string | null
  }
  let { result, run, looked = $bindable(), outcome = $bindable() }: Props = $props()
  const PAGE = 200
  type Key =
    | 'symbol'
    | 'shares'
    | 'rule'
    | 'entry_day'
    | 'exit_day'
    | 'reason'
    | 'gain'
    | 'gain_r'
    | 'bars_held'
    | 'result'
    | 'best'
    | 'worst'
    | 'costs'
  const rules = $derived([...new Set(result.trades.map((trade) => trade.rule))])
  const COLUMNS = $derived<[Key, string, boolean][]>([
    ['symbol', 'Symbol', false],
    ...(rules.length > 1 ? [['rule', 'Rule', false] as [Key, string, boolean]] : []),
    ['entry_day', 'In', false],
    ['exit_day', 'Out', false],
    ['reason', 'Why', false],
    ['shares', 'Shares', true],
    ['gain', 'Gain', true],
    ['gain_r', 'R', true],
    ['best', 'Best', true],
    ['worst', 'Worst', true],
    ['bars_held', 'Bars', true],
    ['costs', 'Costs', true],
    ['result', 'Result', true],
  ])
  let order = $state<Key>('exit_day')
  let down = $state(true)
  let wanted = $state('')
  let rule = $state('')
  let reason = $state('')
  let shown = $state(PAGE)

  const parts = $derived.by(() => {
    // eslint-disable-next-line svelte/prefer-svelte-reactivity -- local to this computation
    const seen = new Map<number, number>()
    return result.trades.map((trade) => {
      const part = seen.get(trade.number) ?? 0
      seen.set(trade.number, part + 1)
      return { trade, part }
    })
  })
  const reasons = $derived([...new Set(result.trades.map((trade) => trade.reason))])
  const rows = $derived.by(() => {
    const word = wanted.trim().toLowerCase()
    const found = parts.filter(
      ({ trade }) =>
        (!rule || trade.rule === rule) &&
        (!reason || trade.reason === reason) &&
        (!word || trade.symbol.toLowerCase().includes(word)),
    )
    const sign = down ? -1 : 1
    const value = (trade: BookTrade) =>
      order === 'entry_day'
        ? `${trade.entry_day} ${trade.entry_time ?? ''}`
        : order === 'exit_day'
          ? `${trade.exit_day} ${trade.exit_time ?? ''}`
          : trade[order]
    return found.sort((a, b) => {
      const [x, y] = [value(a.trade), value(b.trade)]
      if (x === y) return a.trade.number - b.trade.number
      if (x === null) return 1
      if (y === null) return -1
      return sign * (x < y ? -1 : 1)
    })
  })
  const at = $derived(
    looked === null
      ? -1
      : rows.findIndex((row) => row.trade.number === looked!.number && row.part === looked!.part),
  )
  const place = $derived(at < 0 ? '' : `${whole(at + 1)} of ${whole(rows.length)}`)

  function sort(key: Key): void {
    if (order === key) down = !down
    else {
      order = key
      down = !['symbol', 'rule', 'reason'].includes(key)
    }
  }

  function step(by: 1 | -1): void {
    const next =
      rows[Math.min(Math.max((at < 0 ? (by > 0 ? -1 : rows.length) : at) + by, 0), rows.length - 1)]
    if (next) looked = { number: next.trade.number, part: next.part }
  }

  function keydown(event: KeyboardEvent): void {
    const typing =
      event.target instanceof HTMLElement && event.target.closest('input, select, textarea, .cm-editor')
    if (typing || event.ctrlKey || event.metaKey || event.altKey || looked !== null || outcome) return
    if (event.key === 'j' || event.key === 'k') {
      event.preventDefault()
      step(event.key === 'j' ? 1 : -1)
    }
  }
</script>

<svelte:window onkeydown={keydown} />

{#if outcome && outcome !== 'traded'}
  <SignalList {run} {outcome} onclose={() => (outcome = null)} />
{:else}
  <div class="flex flex-wrap items-baseline gap-x-4 gap-y-1 text-[13px] text-ink2">
    <input
      class="field w-[140px] py-0"
      type="search"
      placeholder="Symbol"
      aria-label="Symbol"
      bind:value={wanted}
    />
    {#if rules.length > 1}
      <select class="inline-pick" aria-label="Rule" bind:value={rule}>
        <option value="">every rule</option>
        {#each rules as one (one)}<option>{one}</option>{/each}
      </select>
    {/if}
    <select class="inline-pick" aria-label="Why it ended" bind:value={reason}>
      <option value="">every reason</option>
      {#each reasons as one (one)}<option value={one}>{REASONS[one]}</option>{/each}
    </select>
    <span
      >{whole(rows.length)}
      {rows.length === 1 ? 'trade' : 'trades'}{rows.length < result.trades.length
        ? ` of ${whole(result.trades.length)}`
        : ''}</span
    >
    <span class="ml-auto flex gap-4">
      {#each ['csv', 'parquet', 'json'] as kind (kind)}<a
          class="link"
          href="/api/books/runs/{run}/file?what=trades&kind={kind}"
          download>{kind.toUpperCase()}</a
        >{/each}
    </span>
  </div>
  {#if result.trade_count > result.trades.length}
    <p class="mt-1 text-[13px] text-ink3">
      The latest {whole(result.trades.length)} of {whole(result.trade_count)}; the files hold all.
    </p>
  {/if}
  {#if !result.trades.length}
    <p class="mt-3 text-ink2">{result.verdict}</p>
  {:else if !rows.length}
    <p class="mt-3 text-ink2">No trade is so.</p>
  {:else}
    <div class="overflow-x-auto">
      <table class="mt-2 w-full text-[13px]">
        <thead>
          <tr class="border-b border-hair">
            {#each COLUMNS as [key, label, right] (key)}
              <th
                scope="col"
                class="sortable {right ? 'pl-3 text-right' : 'pr-3 text-left'}"
                aria-sort={order === key ? (down ? 'descending' : 'ascending') : undefined}
                ><button onclick={() => sort(key)}
                  >{label}<span aria-hidden="true">{order === key ? (down ? ' ↓' : ' ↑') : ''}</span></button
                ></th
              >
            {/each}
          </tr>
        </thead>
        <tbody>
          {#each rows.slice(0, shown) as { trade, part } (`${trade.number}.${part}`)}
            <tr class="border-b border-hair/60 hover:bg-row">
              <th scope="row" class="py-[3px] pr-3 text-left font-mono font-semibold"
                ><button
                  class="hover:underline"
                  title="Its chart"
                  onclick={() => (looked = { number: trade.number, part })}>{trade.symbol}</button
                >{#if trade.side === 'short'}<span class="ml-1 font-sans text-[12px] font-normal text-ink3"
                    >short</span
                  >{/if}</th
              >
              {#if rules.length > 1}<td class="max-w-[150px] truncate pr-3" title={trade.rule}
                  >{trade.rule}</td
                >{/if}
              <td class="pr-3 whitespace-nowrap leading-tight"
                >{day(trade.entry_day)}{trade.entry_time ? ` ${trade.entry_time}` : ''}<span
                  class="block font-mono text-[12px] text-ink3">{price(trade.entry)}</span
                ></td
              >
              <td class="pr-3 whitespace-nowrap leading-tight"
                >{day(trade.exit_day)}{trade.exit_time ? ` ${trade.exit_time}` : ''}<span
                  class="block font-mono text-[12px] text-ink3">{price(trade.exit)}</span
                ></td
              >
              <td class="pr-1 leading-tight">{REASONS[trade.reason]}</td>
              <td class="num pl-3 text-ink2">{whole(trade.shares)}</td>
              <td class="num pl-3 {tone(trade.gain)}">{percent(trade.gain)}</td>
              <td class="num pl-3">{fixed(trade.gain_r, 1)}</td>
              <td class="num pl-3 text-ink2">{percent(trade.best)}</td>
              <td class="num pl-3 text-ink2">{percent(trade.worst)}</td>
              <td class="num pl-3">{whole(trade.bars_held)}</td>
              <td class="num pl-3 text-ink2">{whole(trade.costs)}</td>
              <td class="num pl-3 {tone(trade.gain)}">{whole(trade.result)}</td>
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
    {#if rows.length > shown}
      <button class="quiet mt-2" onclick={() => (shown += PAGE)}
        >{whole(Math.min(PAGE, rows.length - shown))} more</button
      >
    {/if}
  {/if}
{/if}
{#if looked}
  <div class="absolute inset-0 z-10">
    <OnChart
      {run}
      number={looked.number}
      part={looked.part}
      {place}
      onstep={step}
      onclose={() => (looked = null)}
    />
  </div>
{/if}
