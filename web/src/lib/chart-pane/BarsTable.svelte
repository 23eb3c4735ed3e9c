<script lang="ts">
  /** A chart as a table, the latest bar first. */
  import type { Chart } from '$lib/api'
  import { percent, price, read, short } from '$lib/format'

  const { data }: { data: Chart } = $props()
</script>

<div class="min-w-0 flex-1 overflow-auto px-4">
  <table class="num w-full text-[12px]">
    <thead class="sticky top-0 bg-paper text-ink2">
      <tr>
        {#each ['Day', 'Open', 'High', 'Low', 'Close', 'Change', 'Volume', ...data.overlays.map((o) => o.label), ...data.panes
            .flat()
            .map((line) => line.text)] as head, h (h)}
          <th scope="col" class="px-1 text-right font-normal">{head}</th>
        {/each}
      </tr>
    </thead>
    <tbody>
      {#each data.days.slice(-520).map((_, i) => data.days.length - 1 - i) as i (i)}
        <tr class={data.hits.includes(i) ? 'bg-glow' : ''}>
          <th scope="row" class="px-1 text-right font-normal">{data.days[i]!.replace('T', ' ')}</th>
          <td class="px-1">{price(data.open[i])}</td>
          <td class="px-1">{price(data.high[i])}</td>
          <td class="px-1">{price(data.low[i])}</td>
          <td class="px-1">{price(data.close[i])}</td>
          <td class="px-1">{percent(data.change[i])}</td>
          <td class="px-1">{short(data.volume[i])}</td>
          {#each data.overlays as overlay, o (o)}
            <td class="px-1">{price(overlay.values[i])}</td>
          {/each}
          {#each data.panes.flat() as line, i (i)}
            <td class="px-1">{read(line.values[i], line.shown, line.text)}</td>
          {/each}
        </tr>
      {/each}
    </tbody>
  </table>
</div>
