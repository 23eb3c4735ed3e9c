<script lang="ts">
  /** A rule whose seal was broken: what it did before, and what it did on days it had never seen. */
  import type { Horizon, Study } from '$lib/api'
  import { day, percent, whole } from '$lib/format'

  const { study, bars }: { study: Study; bars: number } = $props()
  const rows = $derived(
    (
      [
        [`up to ${day(study.sealed_from)}`, study.before],
        ['since, unseen until then', study.after],
      ] as const
    ).flatMap(([label, half]) => {
      const found: Horizon | undefined = half?.find((h) => h.bars === bars)
      return found ? [{ label, found }] : []
    }),
  )
</script>

{#if rows.length}
  <table class="mt-3 w-full text-[13px]">
    <caption class="pb-1 text-left font-title text-[16px]"
      >Before the seal and after it, at {bars} bars</caption
    >
    <thead>
      <tr class="border-b border-hair text-ink2">
        <th scope="col" class="text-left font-semibold"><span class="sr-only">Days</span></th>
        {#each ['Hits', 'Days', 'Win rate', 'Mean', 'Excess', '95% interval'] as head (head)}
          <th scope="col" class="pl-4 text-right font-semibold">{head}</th>
        {/each}
      </tr>
    </thead>
    <tbody>
      {#each rows as { label, found } (label)}
        <tr class="border-b border-hair/60">
          <th scope="row" class="py-[3px] text-left font-normal">{label}</th>
          <td class="num pl-4">{whole(found.count)}</td>
          <td class="num pl-4">{whole(found.days)}</td>
          <td class="num pl-4">{percent(found.win_rate, 1, false)}</td>
          <td class="num pl-4">{percent(found.mean, 2)}</td>
          <td class="num pl-4 font-semibold">{percent(found.excess, 2)}</td>
          <td class="num pl-4 text-ink2"
            >{found.excess_low === null
              ? '–'
              : `${percent(found.excess_low, 2)} … ${percent(found.excess_high, 2)}`}</td
          >
        </tr>
      {/each}
    </tbody>
  </table>
{/if}
