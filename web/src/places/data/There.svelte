<script lang="ts">
  /** Coverage through time: a strip a frame and a universe, a bar a year. */
  import type { DataThere } from '$lib/api'
  import { day, whole } from '$lib/format'

  const { there }: { there: DataThere } = $props()
  const FRAMES: Record<string, string> = {
    day: 'Daily bars',
    '5min': 'Five-minute bars',
    night: 'Overnight bars',
  }
  const KINDS: Record<string, string> = { share: 'Shares', fund: 'Funds', index: 'Indices' }
  const TABLES: Record<string, string> = {
    renames: 'Renames',
    splits: 'Splits',
    dividends: 'Dividends',
    reports: 'Reports',
    overnight: 'Overnight bars',
    calendar: 'Holidays and announcements',
  }
  const years = $derived.by(() => {
    const all = there.frames.flatMap((one) => one.years.map((y) => y.year))
    const [from, to] = [Math.min(...all), Math.max(...all)]
    return Array.from({ length: to - from + 1 }, (_, i) => from + i)
  })
  const rows = $derived([
    ...there.frames.map((one) => ({
      title: FRAMES[one.frame] ?? one.frame,
      note: `${whole(one.bars)} of ${whole(one.instruments)} instrument${one.instruments === 1 ? '' : 's'}`,
      unit: 'instruments',
      of: new Map(one.years.map((y) => [y.year, y.instruments])),
    })),
    ...there.universes.map((one) => ({
      title: one.name,
      note: `${whole(one.now)} members now`,
      unit: 'members at some time of it',
      of: new Map(one.years.map((y) => [y.year, y.members])),
    })),
  ])
  /** Every second or fifth year is named where there are many. */
  const every = $derived(years.length > 24 ? 5 : years.length > 12 ? 2 : 1)
</script>

<div class="min-w-0">
  <h2 class="font-title text-[19px]">What is there, by year</h2>
  <div class="mt-2 text-[13px]">
    {#each rows as row (row.title)}
      {@const most = Math.max(...row.of.values(), 1)}
      <div class="grid grid-cols-[150px_minmax(0,1fr)] items-end gap-4 border-b border-hair/60 py-1.5">
        <div>
          <p class="font-semibold">{row.title}</p>
          <p class="text-[12px] text-ink3">{row.note}</p>
        </div>
        <ol class="flex h-9 items-end gap-[3px]" aria-label="{row.title} by year">
          {#each years as year (year)}
            {@const n = row.of.get(year) ?? 0}
            <li
              class="group relative flex-1"
              style:height="{n ? Math.max(6, (n / most) * 100) : 3}%"
              style:background={n ? 'color-mix(in srgb, var(--ink3) 55%, var(--paper))' : undefined}
              class:bg-paper2={n === 0}
              title="{year}: {n ? `${whole(n)} ${row.unit}` : 'none'}"
            >
              <span class="sr-only">{year}: {n ? `${whole(n)} ${row.unit}` : 'none'}</span>
            </li>
          {/each}
        </ol>
      </div>
    {/each}
    <div class="grid grid-cols-[150px_minmax(0,1fr)] gap-4 pt-1" aria-hidden="true">
      <span></span>
      <div class="flex gap-[3px] text-[11px] text-ink3">
        {#each years as year, i (year)}
          <span class="num flex-1 overflow-visible text-center!">{i % every === 0 ? year : ''}</span>
        {/each}
      </div>
    </div>
  </div>
  <div class="mt-5 grid gap-x-8 gap-y-1 text-[13px] min-[700px]:grid-cols-2">
    <table class="self-start">
      <caption class="sr-only">Instruments by kind</caption>
      <tbody>
        {#each there.kinds as one (one.kind)}
          <tr class="border-b border-hair/60">
            <th scope="row" class="py-0.5 text-left font-normal">{KINDS[one.kind] ?? one.kind}</th>
            <td class="num">{whole(one.instruments)}</td>
          </tr>
        {/each}
        {#if there.waiting}
          <tr class="border-b border-hair/60">
            <th scope="row" class="py-0.5 text-left font-normal text-ink2">known, and without prices</th>
            <td class="num">{whole(there.waiting)}</td>
          </tr>
        {/if}
      </tbody>
    </table>
    <table class="self-start">
      <caption class="sr-only">Facts</caption>
      <tbody>
        {#each there.facts as one (one.table + one.name)}
          <tr class="border-b border-hair/60">
            <th scope="row" class="py-0.5 text-left font-normal">
              {#if one.table === 'own'}<code>own.{one.name}</code>{:else}{TABLES[one.table] ?? one.table}{/if}
            </th>
            <td class="num">{whole(one.rows)}</td>
            <td class="pl-3 text-right whitespace-nowrap text-ink3"
              >{one.first ? day(one.first) : ''} – {one.last ? day(one.last) : ''}</td
            >
          </tr>
        {:else}
          <tr><td class="text-ink3">No reports, splits or facts of your own yet.</td></tr>
        {/each}
      </tbody>
    </table>
  </div>
</div>
