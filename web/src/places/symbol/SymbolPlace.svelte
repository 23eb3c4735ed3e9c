<script lang="ts">
  /** One instrument by itself: its chart, without any rule. */
  import { longMoment } from '$lib/format'
  import { market } from '$lib/market.svelte'
  import ChartPane from '$lib/chart-pane/ChartPane.svelte'

  const { symbol }: { symbol: string } = $props()
</script>

<svelte:head><title>{symbol}, Upper Wick</title></svelte:head>
<h1 class="sr-only">{symbol}, {longMoment(market.asOf ?? '')}</h1>
<ChartPane {symbol} text="" ahead={[]} full={true} position="" />
