<script lang="ts">
  import type { Schemas } from '$lib/api'
  import { percent, whole } from '$lib/format'

  interface Props {
    title: string
    groups: Schemas['GroupOut'][]
  }
  const { title, groups }: Props = $props()
  // Bars are as long as the excess of the group against the largest of those that may be ranked.
  const most = $derived(
    Math.max(0.001, ...groups.filter((g) => !g.small).map((g) => Math.abs(g.excess ?? 0))),
  )
  const share = (value: number | null) => Math.min(Math.abs(value ?? 0) / most, 1) * 50
</script>

<table class="w-full self-start text-[13px]">
  <caption class="pb-0.5 text-left font-title text-[16px]">{title}</caption>
  <thead>
    <tr class="border-b border-hair text-ink2">
      <th scope="col" class="text-left font-semibold"><span class="sr-only">Group</span></th>
      <th scope="col" class="pl-3 text-right font-semibold">Hits</th>
      <th scope="col" class="pl-3 text-right font-semibold">Won</th>
      <th scope="col" class="pl-3 text-right font-semibold">Excess</th>
      <th scope="col" class="w-[88px]"><span class="sr-only">Excess as a bar</span></th>
    </tr>
  </thead>
  <tbody>
    {#each groups as group (group.label)}
      <tr
        class="border-b border-hair/60 {group.small ? 'text-ink3' : ''}"
        title={group.small
          ? `${group.count} hits: too few to be ranked`
          : group.excess_low === null
            ? ''
            : `excess ${percent(group.excess_low, 2)} to ${percent(group.excess_high, 2)}, ${group.days} days, median ${percent(group.median, 2)}`}
      >
        <th scope="row" class="max-w-40 truncate py-[2px] text-left font-normal">{group.label}</th>
        <td class="num pl-3">{whole(group.count)}</td>
        <td class="num pl-3">{percent(group.win_rate, 0, false)}</td>
        <td class="num pl-3">{percent(group.excess, 2)}</td>
        <td class="relative">
          {#if group.excess !== null}
            <span
              class="absolute inset-y-[5px] {group.small
                ? 'bg-hair'
                : group.excess < 0
                  ? 'bg-loss'
                  : 'bg-gain'}"
              style:left="{group.excess < 0 ? 50 - share(group.excess) : 50}%"
              style:width="{share(group.excess)}%"
            ></span>
          {/if}
          <span class="absolute inset-y-[2px] left-1/2 w-px bg-hair"></span>
        </td>
      </tr>
    {/each}
  </tbody>
</table>
