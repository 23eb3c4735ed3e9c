<script lang="ts">
  /** The hits that only one of two rules has. */
  import type { Schemas } from '$lib/api'
  import { day, hits, percent } from '$lib/format'

  interface Props {
    title: string
    count: number
    figures: Schemas['PartFigures']
    events: Schemas['EventOut'][]
    bars: number
    onday: (day: string) => void
  }
  const { title, count, figures, events, bars, onday }: Props = $props()
</script>

<div>
  <h3 class="font-title text-[16px]">{title} {hits(count)}</h3>
  {#if count}
    <p class="text-[13px] text-ink2">
      At {bars} bars they made {percent(figures.mean, 2)} on average, excess {percent(figures.excess, 2)}, won {percent(
        figures.win_rate,
        0,
        false,
      )}.
    </p>
    <table class="mt-1 w-full text-[13px]">
      <thead class="sr-only"><tr><th>Symbol</th><th>Hit on</th><th>Return</th></tr></thead>
      <tbody>
        {#each events.toReversed().slice(0, 60) as event (event.symbol + event.day)}
          {@const r = event.returns[String(bars)] ?? null}
          <tr class="border-b border-hair/60">
            <th scope="row" class="text-left font-mono font-semibold">{event.symbol}</th>
            <td
              ><button class="hover:underline" title="List that day’s hits" onclick={() => onday(event.day)}
                >{day(event.day)}</button
              ></td
            >
            <td class="num {r === null ? '' : r > 0 ? 'text-gain' : 'text-loss'}">{percent(r)}</td>
          </tr>
        {/each}
      </tbody>
    </table>
  {/if}
</div>
