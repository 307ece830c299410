// What all charts share: the instrument's colours, axes and lines.
const token = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();

export function look() {
  return {
    ink: token('--ink'),
    second: token('--second-ink'),
    hairline: token('--hairline'),
    surface: token('--surface'),
    brass: token('--brass'),
    calm: token('--calm'),
    storm: token('--storm'),
  };
}

export const axisText = (c) => ({ color: c.second, fontFamily: 'Source Sans 3 Variable', fontSize: 12 });

export function base(c, unit) {
  return {
    animation: false,
    aria: { enabled: true },
    textStyle: { fontFamily: 'Source Sans 3 Variable', color: c.ink },
    grid: { left: 48, right: 14, top: 34, bottom: 28 },
    legend: { top: 0, left: 64, itemGap: 18, itemWidth: 18, itemHeight: 3, icon: 'roundRect', textStyle: axisText(c) },
    tooltip: {
      trigger: 'axis',
      backgroundColor: c.surface,
      borderColor: c.hairline,
      textStyle: { color: c.ink, fontSize: 13 },
      valueFormatter: (value) => (value == null || Number.isNaN(value) ? '–' : `${Number(value).toFixed(1)} ${unit}`),
    },
    yAxis: {
      type: 'value',
      name: unit,
      nameGap: 12,
      nameTextStyle: { ...axisText(c), align: 'right', padding: [0, 6, 0, 0] },
      axisLabel: axisText(c),
      splitLine: { lineStyle: { color: c.hairline } },
    },
  };
}

export const category = (c, labels) => ({
  type: 'category',
  data: labels,
  axisLabel: { ...axisText(c), hideOverlap: true },
  axisLine: { lineStyle: { color: c.hairline } },
  axisTick: { show: false },
});

export const line = (name, data, color, more = {}) => ({
  name,
  data,
  type: 'line',
  showSymbol: false,
  lineStyle: { color, width: 1.6 },
  itemStyle: { color },
  ...more,
});
