<script lang="ts">
  /** Each year of the book beside the index: bars for the book, a mark where the index ended. */
  import type { BookResult } from '$lib/api'
  import { percent, tone } from '$lib/format'

  const { result }: { result: BookResult } = $props()
  const index = $derived(new Map((result.index_months ?? []).map((year) => [year.year, year.whole])))
  const most = $derived(
    Math.max(
      0.01,
      ...result.months.map((year) => Math.abs(year.whole ?? 0)),
      ...[...index.values()].map((value) => Math.abs(value ?? 0)),
    ),
  )
  const place = (value: number) => 50 + (value / most) * 48
</script>

<table class="self-start text-[13px]">
  <thead>
    <tr class="border-b border-hair text-ink2">
      <th scope="col" class="text-left font-semibold">year</th>
      <th scope="col" class="pl-2 text-right font-semibold">book</th>
      <th scope="col" class="w-[76px]"><span class="sr-only">both as bars</span></th>
      {#if index.size}<th scope="col" class="text-right font-semibold">index</th>{/if}
    </tr>
  </thead>
  <tbody>
    {#each result.months as year (year.year)}
      {@const own = year.whole ?? 0}
      {@const other = index.get(year.year) ?? null}
      <tr class="border-b border-hair/60">
        <th scope="row" class="font-mono font-normal">{year.year}</th>
        <td class="num pl-2 {tone(year.whole)}">{percent(year.whole)}</td>
        <td class="px-2">
          <svg viewBox="0 0 100 14" class="h-[14px] w-full" preserveAspectRatio="none" aria-hidden="true">
            <rect
              x={Math.min(50, place(own))}
              y="4"
              width={Math.abs(place(own) - 50)}
              height="6"
              fill="var(--{own < 0 ? 'loss' : 'gain'})"
            />
            <path d="M50,2V12" stroke="var(--ink3)" vector-effect="non-scaling-stroke" />
            {#if other !== null}<path
                d="M{place(other)},1V13"
                stroke="var(--ink)"
                stroke-width="1.5"
                vector-effect="non-scaling-stroke"
              />{/if}
          </svg>
        </td>
        {#if index.size}<td class="num text-ink2">{percent(other)}</td>{/if}
      </tr>
    {/each}
  </tbody>
</table>
