<script lang="ts">
  /** Each instrument with hits: how often, and how it went, with a row for all together. */
  import type { Horizon, Schemas } from '$lib/api'
  import { csv, download } from '$lib/csv'
  import { percent, whole } from '$lib/format'

  interface Props {
    names: Schemas['NameOut'][]
    horizons: number[]
    /** The figures of all together, by horizon. */
    all: Horizon[]
    name: string
  }
  const { names, horizons, all, name }: Props = $props()
  const PAGE = 25
  let shown = $state(PAGE)
  let key = $state('times')
  let down = $state(true)

  const heads = $derived([
    { key: 'symbol', label: 'Symbol' },
    { key: 'times', label: 'Times' },
    ...horizons.flatMap((h, i) => [
      { key: `rate${i}`, label: `Won at ${h}` },
      { key: `mean${i}`, label: `Mean at ${h}` },
      ...(i
        ? []
        : [
            { key: 'won', label: 'Avg. win' },
            { key: 'lost', label: 'Avg. loss' },
          ]),
    ]),
  ])

  function of(row: Schemas['NameOut'], by: string): string | number | null {
    if (by === 'symbol') return row.symbol
    if (by === 'times' || by === 'won' || by === 'lost') return row[by]
    const i = Number(by.slice(4))
    return (by.startsWith('rate') ? row.rates[i] : row.means[i]) ?? null
  }

  const totals = $derived(horizons.flatMap((h) => all.find((one) => one.bars === h) ?? []))
  const rows = $derived(
    [...names].sort((a, b) => {
      const [x, y] = [of(a, key), of(b, key)]
      if (x === null || y === null) return x === y ? 0 : x === null ? 1 : -1
      const difference = typeof x === 'string' ? x.localeCompare(String(y)) : x - Number(y)
      return (down ? -difference : difference) || a.symbol.localeCompare(b.symbol)
    }),
  )

  function sort(by: string): void {
    down = key === by ? !down : by !== 'symbol'
    key = by
  }

  function save(): void {
    download(
      `${name}, by instrument.csv`,
      csv(
        heads.map((h) => h.label.toLowerCase().replaceAll(' ', '_')),
        rows.map((row) => heads.map((h) => of(row, h.key))),
      ),
    )
  }
</script>

<div class="mt-4 flex items-baseline gap-4">
  <h3 class="font-title text-[16px]">By instrument, {whole(names.length)} names</h3>
  <button class="link ml-auto text-[13px]" onclick={save}>Save names</button>
</div>
<table class="mt-1 w-full text-[13px]">
  <thead>
    <tr class="border-b border-hair text-ink2">
      {#each heads as head (head.key)}
        <th
          scope="col"
          class="py-1 {head.key === 'symbol' ? 'text-left' : 'text-right'}"
          aria-sort={key === head.key ? (down ? 'descending' : 'ascending') : 'none'}
          ><button class="font-semibold" onclick={() => sort(head.key)}
            >{head.label}<span aria-hidden="true">{key === head.key ? (down ? ' ▾' : ' ▴') : ''}</span
            ></button
          ></th
        >
      {/each}
    </tr>
  </thead>
  <tbody>
    <tr class="border-b border-hair font-semibold">
      <th scope="row" class="py-[3px] text-left">All</th>
      {#each totals as total, i (total.bars)}
        {#if !i}<td class="num">{whole(total.count)}</td>{/if}
        <td class="num">{percent(total.win_rate, 0, false)}</td>
        <td class="num">{percent(total.mean, 2)}</td>
        {#if !i}
          <td class="num">{percent(total.average_win, 2)}</td>
          <td class="num">{percent(total.average_loss, 2)}</td>
        {/if}
      {/each}
    </tr>
    {#each rows.slice(0, shown) as row (row.symbol)}
      <tr class="border-b border-hair/60 {row.small ? 'text-ink3' : ''}">
        <th scope="row" class="py-[3px] text-left font-mono font-semibold">{row.symbol}</th>
        <td class="num">{whole(row.times)}</td>
        {#each horizons as h, i (h)}
          <td class="num">{percent(row.rates[i], 0, false)}</td>
          <td class="num">{percent(row.means[i], 2)}</td>
          {#if !i}
            <td class="num">{percent(row.won, 2)}</td>
            <td class="num">{percent(row.lost, 2)}</td>
          {/if}
        {/each}
      </tr>
    {/each}
  </tbody>
</table>
{#if rows.length > shown}
  <button class="quiet mt-2" onclick={() => (shown += 100)}>Show more of {whole(rows.length - shown)}</button>
{/if}
