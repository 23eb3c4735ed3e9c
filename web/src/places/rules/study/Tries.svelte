<script lang="ts">
  /** How many settings were tried, and what the best of so many reaches by luck. */
  import { day, percent, whole } from '$lib/format'
  import { ask, query } from '$lib/queries'

  interface Props {
    rule: number
    horizon: number
  }
  const { rule, horizon }: Props = $props()
  const answer = query(() => ask.tries(rule, horizon))
  const found = $derived(answer.data)
  let open = $state(false)
</script>

{#if found && found.tried > 1}
  <p class="mt-1 max-w-[90ch] text-[13px] text-ink2">
    {whole(found.tried)} settings of this rule were measured.
    {#if found.p !== null && found.best}
      The best at {horizon} bars is {found.best.label}; the best of so many without any edge would look as
      good with a chance of
      <span class="font-mono font-semibold {found.p > 0.05 ? 'text-ember' : 'text-ink'}"
        >{percent(found.p, found.p < 0.1 ? 1 : 0, false)}</span
      >.
    {:else}
      Too few of them have hits enough to be judged together.
    {/if}
    {#if found.rows.length}
      <button class="link underline underline-offset-3" aria-expanded={open} onclick={() => (open = !open)}
        >{open ? 'Hide them' : 'Which'}</button
      >
    {/if}
  </p>
  {#if open}
    <table class="mt-1 text-[13px]">
      <thead>
        <tr class="border-b border-hair text-ink2">
          <th scope="col" class="text-left font-semibold">Setting</th>
          <th scope="col" class="pl-6 text-right font-semibold">Days with hits</th>
          <th
            scope="col"
            class="pl-6 text-right font-semibold"
            title="the excess of a session’s hits, added up, each with the same stake; mean over all sessions, those without hits as zero"
            >Excess a session</th
          >
          <th scope="col" class="pl-6 text-left font-semibold">First measured</th>
        </tr>
      </thead>
      <tbody>
        {#each found.rows as row, i (i)}
          <tr class="border-b border-hair/60">
            <th scope="row" class="text-left font-normal">{row.label}</th>
            <td class="num pl-6">{whole(row.days)}</td>
            <td class="num pl-6">{percent(row.daily, 3)}</td>
            <td class="pl-6">{day(row.made)}</td>
          </tr>
        {/each}
      </tbody>
    </table>
  {/if}
{/if}
