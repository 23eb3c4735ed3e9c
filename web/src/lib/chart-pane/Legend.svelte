<script lang="ts">
  /** The bar under the pointer in figures, or the last one with its facts. */
  import type { Chart } from '$lib/api'
  import { fixed, moment, percent, price, read, short, whole } from '$lib/format'

  interface Props {
    data: Chart
    /** The bar that is pointed at. */
    point: number | null
    full: boolean
    position: string
  }
  const { data, point, full, position }: Props = $props()
  const at = $derived(Math.min(point ?? Infinity, data.days.length - 1))
  const change = $derived(data.change[at])
</script>

<div
  class="num flex max-h-[38px] shrink-0 flex-wrap items-baseline gap-x-2 overflow-hidden px-4 pt-1 text-left text-[12px]"
>
  <span class="font-semibold">{data.symbol}</span>
  {#if position}<span class="font-sans text-ink3">{position}</span>{/if}
  {#if full}<span class="font-sans text-[13px]">{data.name}</span>{/if}
  <span class="text-ink3"
    >{moment(data.days[at])}{data.so_far && at === data.days.length - 1 ? ', so far' : ''}</span
  >
  <span>O {price(data.open[at])}</span>
  <span>H {price(data.high[at])}</span>
  <span>L {price(data.low[at])}</span>
  <span>C {price(data.close[at])}</span>
  <span class={change && change < 0 ? 'text-loss' : 'text-gain'}>{percent(change)}</span>
  <span>vol {short(data.volume[at])}</span>
  {#if point === null}
    {@const f = data.facts}
    <span class="text-ink2">
      {fixed(f.rel_volume, 1)}× usual · {percent(f.off_high)} off high · ADR {percent(f.adr, 1, false)} · ATR
      {price(f.atr)}{#if f.days_to_report !== null && f.days_to_report !== undefined}
        · reports in {whole(f.days_to_report)} d{/if}
    </span>
  {:else}
    <span class="min-w-0 max-w-full truncate text-ink2">
      {#each data.overlays.slice(0, 3) as overlay, o (o)}
        {overlay.label.slice(0, 18)} {price(overlay.values[at])}&ensp;
      {/each}
      {#each data.panes.flat() as line, i (i)}
        {line.text} {read(line.values[at], line.shown, line.text)}&ensp;
      {/each}
    </span>
  {/if}
</div>
