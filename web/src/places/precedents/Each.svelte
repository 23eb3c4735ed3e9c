<script lang="ts">
  /** Every precedent of the chosen index; a row opens its session's chart. */
  import { csv, download } from '$lib/csv'
  import { longDay, percent, tone, whole } from '$lib/format'
  import type { MorningResult } from '$lib/whole'
  import SessionChart from './SessionChart.svelte'

  interface Props {
    result: MorningResult
    symbol: string
    name: string
  }
  const { result, symbol, name }: Props = $props()
  type Row = MorningResult['each'][number]
  const COLUMNS = [
    ['night', 'overnight'],
    ['gap', 'gap'],
    ['worst', 'to worst'],
    ['best', 'to best'],
    ['session', 'open to close'],
    ['next', 'next close'],
  ] as const
  let by = $state<keyof Row>('day')
  let down = $state(true)
  let open = $state<string | null>(null)
  const rows = $derived(
    result.each.toSorted((a, b) => {
      const [x, y] = [a[by], b[by]]
      if (x === null || y === null) return x === y ? 0 : x === null ? 1 : -1
      return (x < y ? -1 : x > y ? 1 : 0) * (down ? -1 : 1)
    }),
  )
  const STEP = 60
  let most = $state(STEP)

  function sort(column: keyof Row): void {
    if (by === column) down = !down
    else {
      by = column
      down = true
    }
  }

  function step(to: 1 | -1): void {
    const at = rows.findIndex((row) => row.day === open) + to
    if (rows[at]) open = rows[at].day
  }

  const take = () =>
    download(
      `precedents of ${symbol}.csv`,
      csv(
        ['day', ...COLUMNS.map(([key]) => key)],
        rows.map((row) => [row.day, ...COLUMNS.map(([key]) => row[key])]),
      ),
    )
</script>

<div class="mt-4 flex items-baseline gap-4">
  <h2 class="font-title text-[18px]">Each of them, {name}</h2>
  {#if rows.length}<button class="link text-[13px]" onclick={take}>CSV</button>{/if}
  {#if result.more}<span class="text-[12px] text-ink3"
      >the latest {whole(rows.length)}; {whole(result.more)} more count above</span
    >{/if}
</div>
{#if open}<SessionChart {symbol} day={open} onclose={() => (open = null)} onstep={step} />{/if}
{#if rows.length}
  <div class="overflow-x-auto">
    <table class="mt-1 w-full text-[13px]">
      <thead>
        <tr class="border-b border-hair text-ink2">
          <th
            scope="col"
            class="sortable text-left"
            aria-sort={by === 'day' ? (down ? 'descending' : 'ascending') : 'none'}
            ><button class="text-left!" onclick={() => sort('day')}>session</button></th
          >
          {#each COLUMNS as [key, label] (key)}
            <th
              scope="col"
              class="sortable pl-3 text-right"
              aria-sort={by === key ? (down ? 'descending' : 'ascending') : 'none'}
              ><button onclick={() => sort(key)}>{label}{by === key ? (down ? ' ↓' : ' ↑') : ''}</button></th
            >
          {/each}
        </tr>
      </thead>
      <tbody>
        {#each rows.slice(0, most) as row (row.day)}
          <tr class="border-b border-hair/60 {row.day === open ? 'bg-row' : ''}">
            <th scope="row" class="py-[3px] text-left font-normal whitespace-nowrap"
              ><button
                class="num text-left! hover:underline"
                title="Its five-minute bars"
                onclick={() => (open = open === row.day ? null : row.day)}>{longDay(row.day)}</button
              ></th
            >
            {#each COLUMNS as [key] (key)}
              <td class="num pl-3 {tone(row[key])}">{percent(row[key], 2)}</td>
            {/each}
          </tr>
        {/each}
      </tbody>
    </table>
  </div>
  {#if rows.length > most}<button class="link mt-1 text-[13px] underline" onclick={() => (most += STEP * 4)}
      >more</button
    >{/if}
{:else}
  <p class="mt-1 text-[13px] text-ink2">None. Take a tick away, or step to another morning.</p>
{/if}
