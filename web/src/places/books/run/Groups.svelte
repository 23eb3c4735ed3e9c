<script lang="ts">
  /** Ended positions by rule, sector, reason of the exit and rank within the day. */
  import type { BookResult, BookTrade } from '$lib/api'
  import { fixed, percent, tone, whole } from '$lib/format'
  import { REASONS } from '$lib/constants'

  const { result }: { result: BookResult } = $props()
  const FEW = 20
  const TITLES = [
    ['rule', 'By rule'],
    ['side', 'By side'],
    ['reason', 'By reason of the exit'],
    ['rank', 'By rank within the day'],
    ['sector', 'By sector'],
  ] as const
  const said = (kind: string, label: string) =>
    kind === 'reason' ? (REASONS[label as BookTrade['reason']] ?? label) : label
</script>

<div class="mt-5 grid grid-cols-1 gap-x-12 gap-y-5 min-[1150px]:grid-cols-2">
  {#each TITLES as [kind, title] (kind)}
    {@const rows = result.groups[kind] ?? []}
    {#if rows.length && (kind !== 'side' || rows.length > 1)}
      <section>
        <h3 class="font-title text-[17px]">{title}</h3>
        <table class="mt-1 w-full text-[13px]">
          <thead>
            <tr class="border-b border-hair text-ink2">
              <th></th>
              {#each ['Trades', 'Win rate', 'Mean', 'In R', 'Money'] as head (head)}<th
                  scope="col"
                  class="pl-3 text-right font-semibold">{head}</th
                >{/each}
            </tr>
          </thead>
          <tbody>
            {#each rows as row (row.label)}
              <tr
                class="border-b border-hair/60 {row.trades < FEW ? 'text-ink3' : ''}"
                title={row.trades < FEW ? 'Few trades' : undefined}
              >
                <th scope="row" class="text-left font-normal">{said(kind, row.label)}</th>
                <td class="num pl-3">{whole(row.trades)}</td>
                <td class="num pl-3">{percent(row.win_rate, 0, false)}</td>
                <td class="num pl-3 {row.trades < FEW ? '' : tone(row.mean_gain)}"
                  >{percent(row.mean_gain, 2)}</td
                >
                <td class="num pl-3">{fixed(row.expectancy_r)}</td>
                <td class="num pl-3">{whole(row.result)}</td>
              </tr>
            {/each}
          </tbody>
        </table>
      </section>
    {/if}
  {/each}
</div>
