/** ECharts with only what is used, and the colours of the theme in force. */
import { LineChart } from 'echarts/charts';
import {
  AxisPointerComponent,
  GridComponent,
  MarkAreaComponent,
  MarkLineComponent,
  MarkPointComponent,
  TooltipComponent,
} from 'echarts/components';
import * as echarts from 'echarts/core';
import { LabelLayout } from 'echarts/features';
import { SVGRenderer } from 'echarts/renderers';
import { useEffect, useRef } from 'react';
import { useColorScheme } from '@mui/material/styles';

echarts.use([
  LineChart,
  LabelLayout,
  GridComponent,
  TooltipComponent,
  AxisPointerComponent,
  MarkAreaComponent,
  MarkLineComponent,
  MarkPointComponent,
  SVGRenderer,
]);

export type Option = echarts.EChartsCoreOption;
export type Chart = echarts.ECharts;

/** Reads a token's colour as it is now. */
export function colour(name: string): string {
  return getComputedStyle(document.documentElement).getPropertyValue(`--${name}`).trim();
}

/** Draws what build makes into an element: again when build or the theme changes, resized with it, let go at the end. */
export function useChart(build: (scheme: string) => Option) {
  const element = useRef<HTMLDivElement>(null);
  const chart = useRef<Chart | null>(null);
  const { mode, systemMode } = useColorScheme();
  const scheme = `${mode} ${systemMode}`;
  useEffect(() => {
    const into = element.current;
    if (!into) return undefined;
    // what has no size yet, or none any more, cannot be drawn: maps fail on it
    const draw = () => {
      if (into.clientWidth === 0 || into.clientHeight === 0) return;
      if (chart.current) return chart.current.resize();
      chart.current = echarts.init(into, null, { renderer: 'svg' });
      chart.current.setOption(build(scheme), { notMerge: true });
    };
    draw();
    const observer = new ResizeObserver(draw);
    observer.observe(into);
    return () => {
      observer.disconnect();
      chart.current?.dispose();
      chart.current = null;
    };
  }, [build, scheme]);
  return { element, chart };
}

export const axisText = () => ({ color: colour('ink2'), fontSize: 11, fontFamily: "'Archivo Variable', sans-serif" });

export const tooltipLook = () => ({
  backgroundColor: colour('ink'),
  borderWidth: 0,
  padding: [5, 8],
  textStyle: { color: colour('paper'), fontSize: 12, lineHeight: 17, fontFamily: "'Archivo Variable', sans-serif" },
  extraCssText: 'box-shadow:none;border-radius:2px',
  confine: true,
  transitionDuration: 0,
});

/** Escapes text that goes into a tooltip's HTML. */
export function safe(text: string): string {
  return text.replace(/[&<>"']/g, (c) => `&#${c.charCodeAt(0)};`);
}
