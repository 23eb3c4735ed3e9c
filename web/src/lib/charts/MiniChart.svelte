<script lang="ts">
  import type { Chart } from '$lib/api'
  import { colour, theme } from '$lib/theme.svelte'

  const { data }: { data: Chart } = $props()
  let canvas: HTMLCanvasElement
  let width = $state(0)
  let height = $state(0)

  $effect(() => {
    void theme.now
    const chart = data
    const scale = window.devicePixelRatio || 1
    if (!width || !height) return
    canvas.width = width * scale
    canvas.height = height * scale
    const pen = canvas.getContext('2d')!
    pen.scale(scale, scale)
    pen.clearRect(0, 0, width, height)
    const size = chart.days.length
    const known = [chart.low, chart.high, ...chart.overlays.map((o) => o.values)]
      .flat()
      .filter((v): v is number => v !== null && v > 0)
    if (!size || !known.length) return
    const [low, high] = [Math.log(Math.min(...known)), Math.log(Math.max(...known))]
    const plot = height * 0.8
    const step = (width - 10) / size
    const x = (i: number) => 4 + (i + 0.5) * step
    const y = (v: number) => 5 + (plot - 14) * (1 - (Math.log(v) - low) / Math.max(high - low, 1e-9))
    const ink = colour('ink')
    const paper = colour('paper')
    const most = Math.max(...chart.volume, 1)
    pen.lineWidth = 1
    for (let i = 0; i < size; i++) {
      const [o, h, l, c] = [chart.open[i], chart.high[i], chart.low[i], chart.close[i]]
      if (o === null || h === null || l === null || c === null) continue
      const rising = c! >= o!
      pen.globalAlpha = rising ? 0.35 : 0.7
      pen.fillStyle = colour('ink3')
      const tall = (height - plot - 2) * (chart.volume[i]! / most)
      pen.fillRect(x(i) - step * 0.35, height - tall, Math.max(1, step * 0.7), tall)
      pen.globalAlpha = 1
      pen.strokeStyle = pen.fillStyle = ink
      pen.beginPath()
      pen.moveTo(x(i), y(h!))
      pen.lineTo(x(i), y(l!))
      pen.stroke()
      const body = Math.max(1, step * 0.66)
      const top = y(Math.max(o!, c!))
      const deep = Math.max(1, y(Math.min(o!, c!)) - top)
      if (rising && body > 2.5) {
        pen.fillStyle = paper
        pen.fillRect(x(i) - body / 2, top, body, deep)
        pen.strokeRect(x(i) - body / 2, top, body, deep)
      } else pen.fillRect(x(i) - body / 2, top, body, deep)
    }
    chart.overlays.forEach((overlay, n) => {
      pen.strokeStyle = colour(n === 0 ? 'ink2' : n === 1 ? 'ember' : 'ink3')
      pen.beginPath()
      let drawing = false
      overlay.values.forEach((v, i) => {
        if (v === null) drawing = false
        else if (drawing) pen.lineTo(x(i), y(v))
        else {
          pen.moveTo(x(i), y(v))
          drawing = true
        }
      })
      pen.stroke()
    })
    pen.fillStyle = colour('ember')
    // In a small chart a notch marks the first bar of each run of hits, and the latest bar.
    const marked = chart.hits.filter((i, n) => i === size - 1 || chart.hits[n - 1] !== i - 1)
    for (const i of marked) {
      const base = y(chart.low[i] ?? 1) + 4
      pen.beginPath()
      pen.moveTo(x(i), base)
      pen.lineTo(x(i) - 3.5, base + 6)
      pen.lineTo(x(i) + 3.5, base + 6)
      pen.fill()
    }
  })
</script>

<div
  class="h-full w-full"
  role="img"
  aria-label="Chart of {data.symbol}, {data.days.length} bars"
  bind:clientWidth={width}
  bind:clientHeight={height}
>
  <canvas bind:this={canvas} class="block h-full w-full" aria-hidden="true"></canvas>
</div>
