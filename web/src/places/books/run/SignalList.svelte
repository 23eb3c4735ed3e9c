<script lang="ts">
  /** Signals that came to the same, the latest first; each opens the chart as it stood that evening. */
  import { sentence } from '$lib/api'
  import { day, whole } from '$lib/format'
  import { ask, keepPrevious, query } from '$lib/queries'
  import { OUTCOMES } from '$lib/constants'
  import SignalChart from './SignalChart.svelte'

  interface Props {
    run: number
    outcome: string
    onclose: () => void
  }
  const { run, outcome, onclose }: Props = $props()
  const PAGE = 200
  let offset = $state(0)
  let looked = $state<{ symbol: string; day: string; rule: string } | null>(null)
  const answer = query(() => ({ ...ask.bookSignals(run, outcome, offset), ...keepPrevious }))
  const found = $derived(answer.data ?? null)
  $effect(() => {
    void outcome
    offset = 0
    looked = null
  })
</script>

<p class="flex items-baseline gap-4 text-[13px]">
  <b class="font-semibold">Signals: {OUTCOMES[outcome as keyof typeof OUTCOMES] ?? outcome}</b>
  {#if found}<span class="text-ink2">{whole(found.total)}</span>{/if}
  <button class="link ml-auto underline underline-offset-3" onclick={onclose}>back to the trades</button>
</p>
{#if answer.error}<p role="alert" class="text-loss">{sentence(answer.error)}</p>{/if}
{#if found}
  <table class="mt-2 text-[13px]">
    <thead>
      <tr class="border-b border-hair text-ink2">
        <th scope="col" class="text-left font-semibold">Symbol</th>
        <th scope="col" class="pl-6 text-left font-semibold">Hit on</th>
        <th scope="col" class="pl-6 text-left font-semibold">Rule</th>
      </tr>
    </thead>
    <tbody>
      {#each found.rows as row (`${row.symbol} ${row.day} ${row.rule}`)}
        <tr class="border-b border-hair/60">
          <th scope="row" class="text-left font-mono font-semibold"
            ><button class="hover:underline" title="Its chart on that day" onclick={() => (looked = row)}
              >{row.symbol}</button
            ></th
          >
          <td class="pl-6">{day(row.day)}</td>
          <td class="pl-6">{row.rule}</td>
        </tr>
      {/each}
    </tbody>
  </table>
  {#if found.total > PAGE}
    <p class="mt-2 flex gap-4 text-[13px]">
      <button class="quiet" disabled={offset === 0} onclick={() => (offset -= PAGE)}>Later</button>
      <span>{whole(offset + 1)} to {whole(Math.min(offset + PAGE, found.total))} of {whole(found.total)}</span
      >
      <button class="quiet" disabled={offset + PAGE >= found.total} onclick={() => (offset += PAGE)}
        >Earlier</button
      >
    </p>
  {/if}
{/if}
{#if looked}
  <div class="absolute inset-0 z-10">
    <SignalChart {...looked} onclose={() => (looked = null)} />
  </div>
{/if}
