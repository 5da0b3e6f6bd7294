import { CustomChart, LineChart } from 'echarts/charts'
import { GridComponent, MarkLineComponent, TooltipComponent } from 'echarts/components'
import { use } from 'echarts/core'
import { CanvasRenderer, SVGRenderer } from 'echarts/renderers'

/** The charting library with the parts that are used; loaded with the first chart, so that the page opens without it. */
use([CustomChart, LineChart, GridComponent, MarkLineComponent, TooltipComponent, CanvasRenderer, SVGRenderer])

export { init } from 'echarts/core'
