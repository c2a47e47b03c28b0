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
    if (!element.current) return undefined;
    const made = echarts.init(element.current, null, { renderer: 'svg' });
    chart.current = made;
    made.setOption(build(scheme), { notMerge: true });
    const observer = new ResizeObserver(() => made.resize());
    observer.observe(element.current);
    return () => {
      observer.disconnect();
      made.dispose();
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
