<script lang="ts">
  /** Each hit that was entered, the latest first. */
  import type { Schemas, Study } from '$lib/api'
  import { day, percent, price, tone, whole } from '$lib/format'

  interface Props {
    study: Study
    horizon: number
    onevent: (event: Schemas['EventOut']) => void
  }
  const { study, horizon, onevent }: Props = $props()
  const PAGE = 200
  let eventsShown = $state(PAGE)
  const events = $derived(study.events.toReversed())

  $effect(() => {
    void study
    eventsShown = PAGE
  })
</script>

<h3 class="mt-4 font-title text-[16px]">
  Each hit, the latest first{study.sealed_from && !study.after
    ? `; it ends at the seal, ${day(study.sealed_from)}`
    : ''}
</h3>
<table class="mt-1 w-full text-[13px]">
  <thead>
    <tr class="border-b border-hair text-ink2">
      <th scope="col" class="py-1 text-left font-semibold">Symbol</th>
      <th scope="col" class="text-left font-semibold">Hit on</th>
      <th scope="col" class="text-left font-semibold">Entered on</th>
      <th scope="col" class="text-right font-semibold">Entry</th>
      {#each study.horizons as h (h.bars)}
        <th
          scope="col"
          class="text-right font-semibold {String(h.bars) === String(horizon) ? 'text-ink' : ''}">{h.bars}</th
        >
      {/each}
    </tr>
  </thead>
  <tbody>
    {#each events.slice(0, eventsShown) as event (`${event.symbol} ${event.day}`)}
      <tr class="border-b border-hair/60">
        <th scope="row" class="py-[3px] text-left font-mono font-semibold"
          ><button
            class="hover:underline"
            title="Its chart with entry, exit and the way between"
            onclick={() => onevent(event)}>{event.symbol}</button
          ></th
        >
        <td>{day(event.day)}</td>
        <td>{event.entry_day ? day(event.entry_day) : 'not yet'}</td>
        <td class="num">{price(event.entry)}</td>
        {#each study.horizons as h (h.bars)}
          {@const r = event.returns[String(h.bars)] ?? null}
          <td class="num {tone(r)}">{percent(r)}</td>
        {/each}
      </tr>
    {/each}
  </tbody>
</table>
{#if events.length > eventsShown}
  <button class="quiet mt-2" onclick={() => (eventsShown += PAGE)}
    >Show {Math.min(PAGE, events.length - eventsShown)} more of {whole(events.length - eventsShown)}</button
  >
{/if}
