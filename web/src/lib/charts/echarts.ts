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

export const MONO = "'Spline Sans Mono', monospace"
