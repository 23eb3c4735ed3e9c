<script lang="ts" module>
  import type { Name } from './price-option'

  /** Where the chart stands at the moment: pixels of bars and prices, and back. A new one at each move. */
  export interface View {
    x: (index: number) => number
    y: (price: number) => number
    index: (x: number) => number
    price: (y: number) => number
    plot: { left: number; top: number; right: number; bottom: number }
    names: Name[]
    width: number
    height: number
  }
</script>

<script lang="ts">
  import { untrack, type Snippet } from 'svelte'
  import type { ECharts } from 'echarts/core'
  import type { Chart } from '$lib/api'
  import { colour, theme } from '$lib/theme.svelte'
  import { chartIn } from './echarts'
  import { MONO } from './echarts'
  import { layout, names, priceAxis, priceOption, roomFor, type Mark } from './price-option'
  import { scaleOf } from './scale'

  interface Props {
    data: Chart
    shown?: number
    log?: boolean
    onpoint: (index: number | null) => void
    /** A notch was clicked: the hit on this bar. */
    onhit?: (index: number) => void
    over?: Snippet<[View]>
    /** Prices that are named at the right end beside the lines. */
    marks?: Mark[]
    /** Prices that the axis reaches however far off they lie. */
    reach?: number[]
  }
  const { data, shown = 130, log = true, onpoint, onhit, over, marks = [], reach = [] }: Props = $props()
  let box: HTMLDivElement
  let chart: ECharts | undefined = $state.raw()
  let view = $state.raw<View | null>(null)
  let height = $state(0)
  let width = $state(0)

  const scale = $derived(scaleOf(log))
  const strokes = $derived((void theme.now, ['ink', 'ink2', 'ink3', 'ember'].map((name) => colour(name))))

  $effect(() => {
    const made = chartIn(box)
    made.chart.on('updateAxisPointer', (event) => {
      const info = (event as { axesInfo?: { value: number }[] }).axesInfo?.[0]
      onpoint(info ? info.value : null)
    })
    made.chart.on('datazoom', () => {
      made.chart.setOption({
        yAxis: [{ id: 'price', ...priceAxis({ data, scale, marks, reach }, ...window()) }],
      })
      look()
    })
    made.chart.on('click', (event) => {
      if (event.seriesName === 'hits') onhit?.((event.value as number[])[0]!)
    })
    made.chart.on('globalout', () => onpoint(null))
    chart = made.chart
    return made.dispose
  })

  function window(): [number, number] {
    const zoom = (chart?.getOption() as { dataZoom?: { startValue: number; endValue: number }[] } | undefined)
      ?.dataZoom?.[0]
    return zoom
      ? [zoom.startValue, zoom.endValue]
      : [Math.max(0, data.days.length - shown), data.days.length - 1]
  }

  function look(): void {
    if (!chart || !data.days.length) return
    const [made, where] = [chart, { xAxisIndex: 0, yAxisIndex: 0 }]
    const plots = layout(height, data.panes.length)
    const first = plots[0]!
    const turn = scale
    const last = window()[1]
    const y = (price: number) => made.convertToPixel({ yAxisIndex: 0 }, Number(turn.to(price)))
    const levels = names(data.overlays, last, y, first.top, first.top + first.height, marks)
    const below = data.panes.flatMap((lines, pane) => {
      const { top, height: tall } = plots[pane + 2]!
      const at = (value: number) => made.convertToPixel({ yAxisIndex: pane + 2 }, value)
      const drawn = lines.map((line) => ({ label: line.text, values: line.values }))
      return names(drawn, last, at, top, top + tall)
    })
    view = {
      x: (index) => made.convertToPixel({ xAxisIndex: 0 }, index),
      y,
      names: [...levels, ...below],
      index: (x) => Math.round(made.convertFromPixel(where, [x, first.top + 5])[0]!),
      price: (y) => turn.from(made.convertFromPixel(where, [20, y])[1]!),
      plot: {
        left: 8,
        top: first.top,
        right: width - Math.round(roomFor(data, marks) + 58),
        bottom: first.top + first.height,
      },
      width,
      height,
    }
  }

  $effect(() => {
    if (!chart || !height || !width) return
    void theme.now
    const names = ['ink', 'ink2', 'ink3', 'paper', 'hair', 'ember'] as const
    const colours = Object.fromEntries(names.map((name) => [name, colour(name)])) as Record<
      (typeof names)[number],
      string
    >
    chart.resize()
    chart.setOption(priceOption({ data, scale, shown, height, colours, marks, reach }), { notMerge: true })
    untrack(look)
  })

  /** The chart as a picture, with what is drawn over it. */
  export async function picture(title: string): Promise<Blob | null> {
    if (!chart) return null
    const ratio = 2
    const canvas = document.createElement('canvas')
    canvas.width = width * ratio
    canvas.height = (height + 28) * ratio
    const pen = canvas.getContext('2d')!
    pen.scale(ratio, ratio)
    pen.fillStyle = colour('paper')
    pen.fillRect(0, 0, width, height + 28)
    pen.fillStyle = colour('ink')
    pen.font = "600 14px 'Source Sans 3', sans-serif"
    pen.fillText(title, 12, 19)
    const image = async (source: string) => {
      const made = new Image()
      made.src = source
      await made.decode()
      pen.drawImage(made, 0, 28, width, height)
    }
    await image(chart.getDataURL({ pixelRatio: ratio, backgroundColor: colour('paper') }))
    for (const svg of box.parentElement?.querySelectorAll('svg[data-over]') ?? []) {
      const copy = svg.cloneNode(true) as SVGElement
      copy.setAttribute('xmlns', 'http://www.w3.org/2000/svg')
      copy.setAttribute('width', String(width))
      copy.setAttribute('height', String(height))
      await image(
        `data:image/svg+xml;charset=utf-8,${encodeURIComponent(new XMLSerializer().serializeToString(copy))}`,
      )
    }
    return new Promise((done) => canvas.toBlob(done, 'image/png'))
  }
</script>

<div class="relative h-full w-full" bind:clientHeight={height} bind:clientWidth={width}>
  <div
    bind:this={box}
    class="absolute inset-0"
    role="img"
    aria-label="Price chart of {data.symbol}, {data.days.length} bars to {data.days.at(-1) ??
      'none'}; its values are in the table behind it"
  ></div>
  {#if view}
    <svg
      data-over
      class="pointer-events-none absolute inset-0 h-full w-full"
      viewBox="0 0 {view.width} {view.height}"
      aria-hidden="true"
    >
      {#each view.names as name, i (i)}
        <text
          x={view.plot.right + 6}
          y={name.y + 4}
          font-size="12"
          font-family={MONO}
          fill={strokes[name.strength]}>{name.label}<title>{name.full}</title></text
        >
      {/each}
    </svg>
    {@render over?.(view)}
  {/if}
</div>
