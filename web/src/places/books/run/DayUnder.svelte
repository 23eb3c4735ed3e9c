<script lang="ts">
  /** The day under the crosshair: what was held, bought and sold. */
  import type { BookResult, BookTrade } from '$lib/api'
  import { longDay, percent, price, tone, whole } from '$lib/format'
  import { REASONS } from '$lib/constants'

  interface Props {
    result: BookResult
    index: number | null
    pinned: boolean
    ontrade: (trade: { number: number; part: number }) => void
  }
  const { result, index, pinned, ontrade }: Props = $props()
  const MOST = 8
  const at = $derived(index === null ? null : (result.equity[index] ?? null))
  const found = $derived.by(() => {
    if (!at) return null
    const bought: BookTrade[] = []
    const sold: BookTrade[] = []
    const held: BookTrade[] = []
    for (const trade of result.trades) {
      if (trade.entry_day === at.day) bought.push(trade)
      if (trade.exit_day === at.day && trade.reason !== 'end') sold.push(trade)
      else if (trade.entry_day < at.day && (trade.exit_day > at.day || trade.reason === 'end'))
        held.push(trade)
    }
    return { bought, sold, held }
  })
  const part = (trade: BookTrade) => ({
    number: trade.number,
    part: result.trades.filter((one) => one.number === trade.number).indexOf(trade),
  })
</script>

<div class="min-h-[66px] text-[13px] text-ink2" aria-live="off">
  {#if at && found}
    <p>
      <b class="font-semibold text-ink">{longDay(at.day)}</b>: {whole(at.equity)}
      <span class="text-ink3">({percent(result.falls[index!] ?? 0)} under its highest)</span>, {at.positions}
      {at.positions === 1 ? 'position' : 'positions'}, {percent(at.exposure, 0, false)} invested
      {#if pinned}<span class="text-ink3">· click again to let go</span>{/if}
    </p>
    {#each [['Bought', found.bought], ['Sold', found.sold], ['Held', found.held]] as const as [said, trades] (said)}
      {#if trades.length}
        <p class="truncate">
          {said}:
          {#each trades.slice(0, MOST) as trade, i (i)}<button
              class="mr-2 font-mono hover:underline"
              title="{trade.rule}, in at {price(trade.entry)}{said === 'Sold'
                ? `, out by ${REASONS[trade.reason]}`
                : ''}"
              onclick={() => ontrade(part(trade))}
              >{trade.symbol}{#if said === 'Sold'}&nbsp;<span class={tone(trade.gain)}
                  >{percent(trade.gain)}</span
                >{/if}</button
            >{/each}{trades.length > MOST ? `and ${trades.length - MOST} more` : ''}
        </p>
      {/if}
    {/each}
  {:else}
    <p class="text-ink3">Point at a day to see what was held, bought and sold; a click keeps it.</p>
  {/if}
</div>
