<script lang="ts">
  /** Two kept runs side by side. */
  import { sentence } from '$lib/api'
  import { fixed, percent, whole } from '$lib/format'
  import { ask, keepPrevious, query } from '$lib/queries'

  interface Props {
    first: { id: number; label: string }
    second: { id: number; label: string }
  }
  const { first, second }: Props = $props()
  const answer = query(() => ({ ...ask.bookComparison(first.id, second.id), ...keepPrevious }))
  const found = $derived(answer.data ?? null)
  const rows = $derived(
    found
      ? [
          ['Annual return', percent(found.first.annual), percent(found.second.annual)],
          ['Return', percent(found.first.total), percent(found.second.total)],
          ['Max drawdown', percent(found.first.worst_fall), percent(found.second.worst_fall)],
          ['Return / drawdown', fixed(found.first.mar), fixed(found.second.mar)],
          ['Sharpe ratio', fixed(found.first.sharpe), fixed(found.second.sharpe)],
          ['Exposure', percent(found.first.exposure, 0, false), percent(found.second.exposure, 0, false)],
          ['Trades', whole(found.first.trades), whole(found.second.trades)],
          ['Win rate', percent(found.first.win_rate, 1, false), percent(found.second.win_rate, 1, false)],
          ['Expectancy in R', fixed(found.first.expectancy_r), fixed(found.second.expectancy_r)],
          ['Bought a year, over equity', fixed(found.first.turnover, 1), fixed(found.second.turnover, 1)],
        ]
      : [],
  )
</script>

<section class="my-3 border-y border-hair bg-paper2 px-3 py-2" aria-label="Two runs side by side">
  {#if answer.error}
    <p role="alert" class="text-loss">{sentence(answer.error)}</p>
  {:else if found}
    <h3 class="font-title text-[17px]">
      The second makes {percent(found.difference)} a year {found.difference < 0
        ? 'less'
        : 'more'}{found.low === null || found.high === null
        ? ''
        : found.low <= 0 && found.high >= 0
          ? `: between ${percent(found.low)} and ${percent(found.high)}, which cannot be told from nothing`
          : `, between ${percent(found.low)} and ${percent(found.high)}`}.
    </h3>
    <table class="mt-1 text-[13px]">
      <thead>
        <tr class="border-b border-hair text-ink2">
          <th></th>
          <th scope="col" class="pl-6 text-right font-semibold">{first.label}</th>
          <th scope="col" class="pl-6 text-right font-semibold">{second.label}</th>
        </tr>
      </thead>
      <tbody>
        {#each rows as [label, a, b] (label)}
          <tr class="border-b border-hair/60">
            <th scope="row" class="text-left font-normal">{label}</th>
            <td class="num pl-6">{a}</td>
            <td class="num pl-6">{b}</td>
          </tr>
        {/each}
      </tbody>
    </table>
    <p class="mt-1 text-[13px] text-ink2">
      Over {whole(found.days)} days in common, drawn alike. {whole(found.both)} trades in both, {whole(
        found.only_first,
      )}
      in the first only, {whole(found.only_second)} in the second only.
    </p>
  {:else}
    <p class="text-[13px] text-ink2">Setting them side by side …</p>
  {/if}
</section>
