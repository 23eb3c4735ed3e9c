<script lang="ts">
  /** What is held, each on its rail, and the orders for the next session. */
  import { fixed, money, percent, price, tone } from '$lib/format'
  import type { Desk } from '$lib/desk'
  import Rail from '$lib/Rail.svelte'

  const { desk, link }: { desk: Desk; link: (place: string) => (event: MouseEvent) => void } = $props()
  const totals = $derived(desk.totals)
</script>

{#if desk.holdings.length}
  <h2 class="mt-6 font-title text-[18px]">
    Holding <span class="font-sans text-[13px] text-ink2"
      >{desk.holdings.length} position{desk.holdings.length === 1 ? '' : 's'}{#if totals}, open
        <b class="num {tone(totals.profit)}">{money(totals.profit, true)}</b>
        ({percent(totals.gain)});
        <span class={totals.over ? 'text-loss' : ''}
          >{percent(totals.risk_share, 1, false)} of the account at risk{totals.over
            ? `, over ${percent(totals.limit, 1, false)}`
            : ''}</span
        >{#if totals.unstopped}<b class="text-loss">; {totals.unstopped} without a stop, at full value</b
          >{/if}{/if}</span
    >
  </h2>
  {#if totals && totals.sectors.length > 1}
    <p class="text-[13px] text-ink2">
      At risk by sector: {totals.sectors
        .slice(0, 4)
        .map((one) => `${one.sector} ${percent(one.share, 1, false)}`)
        .join(', ')}{totals.sectors.length > 4 ? ' …' : ''}.
    </p>
  {/if}
  {#if totals?.foreign.length}
    <p class="text-[13px] text-loss">
      Not in these totals, since in another currency than the account’s{totals.currency
        ? ` (${totals.currency})`
        : ', which has none set'}: {totals.foreign.join(', ')}.
    </p>
  {/if}
  <div class="overflow-x-auto">
    <table class="mt-1 w-full text-[13px]" aria-label="Holding">
      <thead>
        <tr class="border-b border-hair text-ink2">
          <th scope="col" class="py-1 text-left font-semibold">symbol</th>
          <th scope="col" class="pl-3 text-left font-semibold">name</th>
          <th scope="col" class="pl-4 text-left font-semibold">stop, entry, target</th>
          <th scope="col" class="pl-3 text-right font-semibold">now</th>
          <th scope="col" class="pl-4 text-right font-semibold">open profit</th>
          <th scope="col" class="pl-4 text-right font-semibold">close</th>
          <th scope="col" class="pl-5 text-left font-semibold">look at</th>
        </tr>
      </thead>
      <tbody>
        {#each desk.holdings as one (one.item)}
          <tr class="border-b border-hair/60">
            <th scope="row" class="py-1 text-left font-mono"
              ><a
                href="/bench/holding/{one.item}"
                class="hover:underline"
                onclick={link(`/bench/holding/${one.item}`)}>{one.symbol}</a
              ></th
            >
            <td class="max-w-[150px] truncate pl-3 text-ink2">{desk.names[one.symbol]}</td>
            <td class="pl-4"><Rail rail={one.rail} /></td>
            <td class="num pl-3 {tone(one.rail.r)}"
              >{one.rail.r === null ? '–' : `${one.rail.r > 0 ? '+' : ''}${fixed(one.rail.r, 1)} R`}</td
            >
            <td class="num pl-4 whitespace-nowrap {tone(one.rail.open)}"
              >{money(one.rail.open, true)} <span class="text-[12px]">{percent(one.rail.gain)}</span></td
            >
            <td class="num pl-4">{price(one.rail.close)}</td>
            <td class="pl-5" class:text-loss={one.rail.stop === null || one.look_at.includes('beyond')}
              >{one.look_at}</td
            >
          </tr>
        {/each}
      </tbody>
    </table>
  </div>
{/if}
{#if desk.orders.length}
  <h2 class="mt-6 font-title text-[18px]">
    Orders for the next session <span class="font-sans text-[13px] text-ink2">with the clock, on paper</span>
  </h2>
  <table class="mt-1 w-full text-[13px]" aria-label="Orders for the next session">
    <tbody>
      {#each desk.orders as one (one.item)}
        <tr class="border-b border-hair/60 align-baseline">
          <th scope="row" class="w-24 py-1 text-left font-mono"
            ><a
              href="/bench/{one.stage}/{one.item}"
              class="hover:underline"
              onclick={link(`/bench/${one.stage}/${one.item}`)}>{one.symbol}</a
            ></th
          >
          <td>{one.words}</td>
        </tr>
      {/each}
    </tbody>
  </table>
{/if}
