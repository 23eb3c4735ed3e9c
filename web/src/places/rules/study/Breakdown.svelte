<script lang="ts">
  import type { Schemas } from '$lib/api'
  import { hits, percent, whole } from '$lib/format'

  interface Props {
    title: string
    groups: Schemas['GroupOut'][]
  }
  const { title, groups }: Props = $props()
  // A dot for the excess, a whisker for its interval, zero in the middle; as wide as the widest of those that may be ranked needs.
  const most = $derived(
    Math.max(
      0.001,
      ...groups
        .filter((g) => !g.small)
        .flatMap((g) => [g.excess ?? 0, g.excess_low ?? 0, g.excess_high ?? 0])
        .map(Math.abs),
    ),
  )
  const place = (value: number) => 50 + Math.max(-1, Math.min(value / most, 1)) * 48
</script>

<table class="w-full self-start text-[13px]">
  <caption class="pb-0.5 text-left font-title text-[16px]">{title}</caption>
  <thead>
    <tr class="border-b border-hair text-ink2">
      <th scope="col" class="text-left font-semibold"><span class="sr-only">Group</span></th>
      <th scope="col" class="pl-3 text-right font-semibold">Hits</th>
      <th scope="col" class="pl-3 text-right font-semibold">Win rate</th>
      <th scope="col" class="pl-3 text-right font-semibold">Excess</th>
      <th scope="col" class="w-[112px]"><span class="sr-only">Excess with its interval</span></th>
    </tr>
  </thead>
  <tbody>
    {#each groups as group (group.label)}
      <tr
        class="border-b border-hair/60 {group.small ? 'text-ink3' : ''}"
        title={group.small
          ? `${hits(group.count)}: too few to be ranked`
          : group.excess_low === null
            ? ''
            : `excess ${percent(group.excess_low, 2)} to ${percent(group.excess_high, 2)}, ${group.days} days, median ${percent(group.median, 2)}`}
      >
        <th scope="row" class="max-w-40 truncate py-[2px] text-left font-normal">{group.label}</th>
        <td class="num pl-3">{whole(group.count)}</td>
        <td class="num pl-3">{percent(group.win_rate, 0, false)}</td>
        <td class="num pl-3">{percent(group.excess, 2)}</td>
        <td class="relative">
          <span class="absolute inset-y-[2px] left-1/2 ml-[6px] w-px bg-hair"></span>
          {#if group.excess !== null}
            {@const tone = group.small ? 'bg-hair' : group.excess < 0 ? 'bg-loss' : 'bg-gain'}
            <span class="absolute inset-y-0 right-0 left-3">
              {#if group.excess_low !== null && group.excess_high !== null}
                <span
                  class="absolute top-1/2 h-[2px] -translate-y-1/2 {tone}"
                  style:left="{place(group.excess_low)}%"
                  style:width="{place(group.excess_high) - place(group.excess_low)}%"
                ></span>
              {/if}
              <span
                class="absolute top-1/2 size-[7px] -translate-x-1/2 -translate-y-1/2 rounded-full {tone}"
                style:left="{place(group.excess)}%"
              ></span>
            </span>
          {/if}
        </td>
      </tr>
    {/each}
  </tbody>
</table>
