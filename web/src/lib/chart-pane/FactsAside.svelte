<script lang="ts">
  import { sentence } from '$lib/api'
  import { day, percent, read, short } from '$lib/format'
  import { market } from '$lib/market.svelte'
  import { ask, query } from '$lib/queries'

  const { symbol }: { symbol: string } = $props()
  const answer = query(() => ask.facts(symbol, market.asOf))
  const facts = $derived(answer.data ?? null)
  const failed = $derived(answer.error ? sentence(answer.error) : '')
  const tone = (value: number | null) => (value === null ? '' : value < 0 ? 'text-loss' : 'text-gain')
</script>

{#if failed}
  <p role="alert" class="text-loss">{failed}</p>
{:else if !facts}
  <p class="text-ink3">Looking up {symbol} …</p>
{:else}
  <p class="font-title text-[17px] leading-tight">{facts.name}</p>
  <p class="text-ink2">
    {[
      facts.kind,
      facts.sector,
      facts.weekly_options ? 'weekly options' : facts.optionable ? 'optionable' : '',
    ]
      .filter(Boolean)
      .join(' · ')}
  </p>
  <p class="text-ink3">
    {facts.listed ? `listed ${day(facts.listed)}` : ''}{#if facts.delisted}, <span class="text-loss"
        >delisted {day(facts.delisted)}{facts.delisted_reason ? `: ${facts.delisted_reason}` : ''}</span
      >{/if}
  </p>
  {#if facts.universes.length}<p class="text-ink3">in {facts.universes.join(', ')}</p>{/if}
  <dl class="mt-2 grid grid-cols-[1fr_auto]">
    {#each facts.figures as figure (figure.text)}
      <dt class="border-t border-hair/60 text-ink2" title={figure.text}>{figure.label}</dt>
      <dd class="num border-t border-hair/60 pl-3">
        {read(figure.value, figure.shown as 'number', figure.text)}
      </dd>
    {/each}
  </dl>
  {#if facts.reports.length}
    <table class="mt-3 w-full">
      <caption class="text-left text-ink2">Last {facts.reports.length} reports, against a year before</caption
      >
      <thead class="text-ink3">
        <tr>
          <th scope="col" class="text-left font-normal">day</th>
          <th scope="col" class="text-right font-normal">revenue</th>
          <th scope="col" class="text-right font-normal">earned</th>
        </tr>
      </thead>
      <tbody>
        {#each facts.reports as report (report.day)}
          <tr class="border-t border-hair/60 align-top">
            <th scope="row" class="text-left font-normal">
              {day(report.day)}
              {#if report.eps_surprise !== null}<br /><span
                  class={tone(report.eps_surprise)}
                  title="against what was expected">{percent(report.eps_surprise, 0)} surprise</span
                >{/if}
            </th>
            <td class="num"
              >{short(report.revenue)}<br /><span class={tone(report.revenue_growth)}
                >{percent(report.revenue_growth, 0)}</span
              ></td
            >
            <td class="num"
              >{short(report.earnings)}<br /><span class={tone(report.eps_growth)}
                >{percent(report.eps_growth, 0)}</span
              ></td
            >
          </tr>
        {/each}
      </tbody>
    </table>
  {:else}
    <p class="mt-3 text-ink3">No reports by this evening.</p>
  {/if}
{/if}
