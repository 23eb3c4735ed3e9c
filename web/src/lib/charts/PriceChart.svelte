<script lang="ts">
  import type { ECharts } from 'echarts/core'
  import type { Chart } from '$lib/api'
  import { monthName, price } from '$lib/format'
  import { colour, theme } from '$lib/theme.svelte'
  import { chartIn, MONO } from './echarts'

  interface Props {
    data: Chart
    shown?: number
    onpoint: (index: number | null) => void
  }
  const { data, shown = 130, onpoint }: Props = $props()
  let box: HTMLDivElement
  let chart: ECharts | undefined = $state.raw()

  // Prices are drawn on a log scale: the axis holds log10 of the price and its labels say the price.
  const log = (v: number | null): number | '-' => (v !== null && v > 0 ? Math.log10(v) : '-')

  $effect(() => {
    const made = chartIn(box)
    made.chart.on('updateAxisPointer', (event) => {
      const info = (event as { axesInfo?: { value: number }[] }).axesInfo?.[0]
      onpoint(info ? info.value : null)
    })
    made.chart.on('datazoom', () => {
      const axis = priceAxis(...window())
      made.chart.setOption({ yAxis: [{ id: 'price', ...axis }] })
    })
    made.chart.on('globalout', () => onpoint(null))
    chart = made.chart
    return made.dispose
  })

  /** Round prices between two, about `count` of them, evenly spread to the eye on a log scale. */
  function ticks(low: number, high: number, count: number): number[] {
    const step = (high / low) ** (1 / count) - 1
    const found: number[] = []
    for (let at = low; at < high && found.length < 20;) {
      const raw = at * step
      const unit = 10 ** Math.floor(Math.log10(raw))
      const width = [1, 2, 2.5, 5, 10].map((m) => m * unit).find((w) => w >= raw) ?? raw
      const next = Math.ceil(at / width + 1e-9) * width
      if (next >= high) break
      found.push(Number(next.toPrecision(10)))
      at = next + raw * 0.5
    }
    return found
  }

  /** The price axis around what the window shows: bars and levels, with a little air. */
  function priceAxis(begin: number, end: number): Record<string, unknown> {
    const seen = [data.low, data.high, ...data.overlays.map((o) => o.values)]
      .flatMap((column) => column.slice(Math.max(0, begin), end + 1))
      .filter((v): v is number => v !== null && v > 0)
    if (!seen.length) return {}
    const low = Math.min(...seen)
    const high = Math.max(...seen)
    const air = Math.max(Math.log10(high / low) * 0.06, 0.002)
    const min = Math.log10(low) - air
    const max = Math.log10(high) + air
    const at = ticks(10 ** min, 10 ** max, 6).map((v) => Math.log10(v))
    return {
      min,
      max,
      axisLabel: { customValues: at },
      splitLine: { customValues: at },
      axisTick: { customValues: at },
    }
  }

  function window(): [number, number] {
    const zoom = (chart?.getOption() as { dataZoom?: { startValue: number; endValue: number }[] } | undefined)
      ?.dataZoom?.[0]
    return zoom
      ? [zoom.startValue, zoom.endValue]
      : [Math.max(0, data.days.length - shown), data.days.length - 1]
  }

  function label(index: number): string {
    const at = data.days[index]
    if (!at) return ''
    const month = monthName(at)
    return month === 'Jan' ? at.slice(0, 4) : month
  }

  function newMonth(index: number): boolean {
    const at = data.days[index]
    const before = data.days[index - 1]
    return Boolean(at && before && at.slice(0, 7) !== before.slice(0, 7))
  }

  $effect(() => {
    if (!chart) return
    void theme.now
    const ink = colour('ink')
    const ink2 = colour('ink2')
    const ink3 = colour('ink3')
    const paper = colour('paper')
    const hair = colour('hair')
    const ember = colour('ember')
    const size = data.days.length
    const axis = priceAxis(Math.max(0, size - shown), size - 1)
    // Names of levels stand between the last bar and the prices: as much room as the longest of them needs.
    const named = data.overlays.length
      ? Math.min(17, Math.max(...data.overlays.map((o) => o.label.length))) * 7.4 + 10
      : 4
    const right = Math.round(named + 58)
    const text = { fontFamily: MONO, fontSize: 12, color: ink3 }
    const strengths = [
      { color: ink, width: 1.4, type: 'solid' as const },
      { color: ink2, width: 1.2, type: 'solid' as const },
      { color: ink3, width: 1.2, type: 'solid' as const },
      { color: ember, width: 1.2, type: 'dashed' as const },
    ]
    chart.setOption(
      {
        animation: false,
        grid: [
          { left: 8, right, top: 10, bottom: '26%' },
          { left: 8, right, top: '79%', bottom: 24 },
        ],
        axisPointer: { link: [{ xAxisIndex: 'all' }] },
        tooltip: {
          trigger: 'axis',
          showContent: false,
          axisPointer: { type: 'cross', lineStyle: { color: ink3 }, crossStyle: { color: ink3 } },
        },
        dataZoom: [
          {
            type: 'inside',
            xAxisIndex: [0, 1],
            startValue: Math.max(0, size - shown),
            endValue: size - 1,
            minValueSpan: 20,
          },
        ],
        xAxis: [0, 1].map((gridIndex) => ({
          type: 'category',
          gridIndex,
          data: data.days.map((_, i) => i),
          boundaryGap: true,
          axisLine: { show: false },
          axisTick: { show: false },
          axisPointer: { label: { show: false } },
          axisLabel: {
            show: gridIndex === 1,
            ...text,
            interval: newMonth,
            formatter: (value: string) => label(Number(value)),
            hideOverlap: true,
          },
        })),
        yAxis: [
          {
            id: 'price',
            type: 'value',
            position: 'right',
            min: axis.min,
            max: axis.max,
            axisTick: { show: false, ...(axis.axisTick as object) },
            axisLine: { show: false },
            axisLabel: {
              ...text,
              ...(axis.axisLabel as object),
              margin: named + 4,
              formatter: (v: number) => price(10 ** v),
            },
            splitLine: { lineStyle: { color: hair, opacity: 0.6 }, ...(axis.splitLine as object) },
            axisPointer: {
              label: {
                formatter: (p: { value: number }) => price(10 ** p.value),
                fontFamily: MONO,
                backgroundColor: ink,
                color: paper,
              },
            },
          },
          {
            type: 'value',
            gridIndex: 1,
            position: 'right',
            axisLabel: { show: false },
            splitLine: { show: false },
            axisPointer: { show: false },
          },
        ],
        series: [
          {
            type: 'candlestick',
            name: 'bars',
            // Opening, closing, lowest, highest: the order the library asks for.
            data: data.days.map((_, i) => [
              log(data.open[i] ?? null),
              log(data.close[i] ?? null),
              log(data.low[i] ?? null),
              log(data.high[i] ?? null),
            ]),
            itemStyle: { color: paper, color0: ink, borderColor: ink, borderColor0: ink, borderWidth: 1 },
            barMaxWidth: 9,
          },
          ...data.overlays.map((overlay, i) => {
            const stroke = strengths[Math.min(i, strengths.length - 1)]!
            return {
              type: 'line',
              name: overlay.label,
              data: overlay.values.map(log),
              symbol: 'none',
              lineStyle: stroke,
              z: 3,
              silent: true,
              endLabel: {
                show: true,
                formatter: overlay.label.length > 17 ? `${overlay.label.slice(0, 16)}…` : overlay.label,
                color: stroke.color,
                fontFamily: MONO,
                fontSize: 12,
                distance: 6,
              },
              labelLayout: { moveOverlap: 'shiftY' },
            }
          }),
          {
            type: 'scatter',
            name: 'hits',
            data: data.hits.map((i) => [i, log(data.low[i] ?? null)]),
            symbol: 'triangle',
            symbolSize: 8,
            symbolOffset: [0, 9],
            itemStyle: { color: ember },
            z: 4,
            silent: true,
          },
          {
            type: 'bar',
            name: 'volume',
            xAxisIndex: 1,
            yAxisIndex: 1,
            data: data.volume.map((value, i) => ({
              value,
              itemStyle: {
                color: ink3,
                opacity: (data.close[i] ?? 0) >= (data.open[i] ?? 0) ? 0.4 : 0.8,
              },
            })),
            barMaxWidth: 7,
            silent: true,
          },
        ],
      },
      { notMerge: true },
    )
  })
</script>

<div
  bind:this={box}
  class="h-full w-full"
  role="img"
  aria-label="Price chart of {data.symbol}, {data.days.length} bars to {data.days.at(-1) ??
    'none'}; its values are in the table behind it"
></div>
