<script lang="ts">
  /** One chart from one option, drawn anew when either it or the theme changes. */
  import type { ECharts } from 'echarts/core'
  import { theme } from '$lib/theme.svelte'
  import { chartIn } from './echarts'

  interface Props {
    label: string
    /** Made anew for each theme: colours are read when it is called. */
    option: () => Record<string, unknown>
  }
  const { label, option }: Props = $props()
  let box: HTMLDivElement
  let chart: ECharts | undefined = $state.raw()

  $effect(() => {
    const made = chartIn(box)
    chart = made.chart
    return made.dispose
  })

  $effect(() => {
    void theme.now
    chart?.setOption({ animation: false, ...option() }, { notMerge: true })
  })
</script>

<div bind:this={box} class="h-full w-full" role="img" aria-label={label}></div>
