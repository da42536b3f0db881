import { BarChart } from 'echarts/charts';
import { GridComponent, TooltipComponent } from 'echarts/components';
import { use } from 'echarts/core';
import { CanvasRenderer } from 'echarts/renderers';
import { COLOURS } from '../theme.ts';

use([BarChart, GridComponent, TooltipComponent, CanvasRenderer]);
const text = { color: COLOURS.inkSoft, fontFamily: 'Atkinson Hyperlegible Next Variable', fontSize: 12 };

/** A chart of counts by day or week in the manner of the house; the caller adds the series. */
export function bars<S>(labels: readonly string[], series: readonly S[]) {
  return {
    animation: false,
    grid: { left: 38, right: 8, top: 10, bottom: 22 },
    tooltip: {
      trigger: 'axis',
      textStyle: { ...text, color: COLOURS.ink },
      backgroundColor: COLOURS.sheet,
      borderColor: COLOURS.strong,
    },
    xAxis: {
      type: 'category',
      data: labels,
      axisTick: { show: false },
      axisLine: { lineStyle: { color: COLOURS.strong } },
      axisLabel: text,
    },
    yAxis: {
      type: 'value',
      minInterval: 1,
      splitLine: { lineStyle: { color: COLOURS.hairline } },
      axisLabel: text,
    },
    series,
  };
}
