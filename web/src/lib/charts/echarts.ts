/** The parts of ECharts that are used, registered once. */
import 'echarts/lib/chart/bar'
import { CandlestickChart, LineChart, ScatterChart } from 'echarts/charts'
import { DataZoomComponent, GridComponent, MarkLineComponent, TooltipComponent } from 'echarts/components'
import { init, use, type ECharts } from 'echarts/core'
import { LabelLayout } from 'echarts/features'
import { CanvasRenderer } from 'echarts/renderers'

use([
  CandlestickChart,
  LineChart,
  ScatterChart,
  GridComponent,
  TooltipComponent,
  DataZoomComponent,
  MarkLineComponent,
  LabelLayout,
  CanvasRenderer,
])

/** A chart in a box that follows the box's size; call the returned function when the box goes. */
export function chartIn(box: HTMLElement): { chart: ECharts; dispose: () => void } {
  const chart = init(box)
  const watcher = new ResizeObserver(() => chart.resize())
  watcher.observe(box)
  return {
    chart,
    dispose: () => {
      watcher.disconnect()
      chart.dispose()
    },
  }
}

/** A chart of values through time: tells the place under the crosshair (null where it has left the chart), and the one that is clicked. */
export function timeChartIn(
  box: HTMLElement,
  onday: (index: number | null) => void,
  onpick: (index: number) => void,
): ReturnType<typeof chartIn> {
  const made = chartIn(box)
  made.chart.on('updateAxisPointer', (event: unknown) => {
    const axis = (event as { axesInfo?: { value: number }[] }).axesInfo?.[0]
    onday(axis ? axis.value : null)
  })
  made.chart.getZr().on('globalout', () => onday(null))
  made.chart.getZr().on('click', (event: { offsetX: number; offsetY: number }) => {
    const found = made.chart.convertFromPixel({ gridIndex: 0 }, [event.offsetX, event.offsetY])
    if (found) onpick(Math.round(found[0]!))
  })
  return made
}

export const MONO = "'Spline Sans Mono', monospace"
