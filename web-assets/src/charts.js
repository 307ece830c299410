// Charts of the pages: a figure holds its data as JSON, and its kind says how it is drawn.
import * as echarts from 'echarts/core';
import { BarChart, CustomChart, LineChart } from 'echarts/charts';
import { AriaComponent, DataZoomComponent, GridComponent, LegendComponent, MarkLineComponent, TooltipComponent } from 'echarts/components';
import { SVGRenderer } from 'echarts/renderers';

echarts.use([AriaComponent, BarChart, CustomChart, DataZoomComponent, GridComponent, LegendComponent, LineChart, MarkLineComponent, SVGRenderer, TooltipComponent]);

const token = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();

function look() {
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

const axisText = (c) => ({ color: c.second, fontFamily: 'Source Sans 3 Variable', fontSize: 12 });

function base(c, unit) {
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

const category = (c, labels) => ({
  type: 'category',
  data: labels,
  axisLabel: { ...axisText(c), hideOverlap: true },
  axisLine: { lineStyle: { color: c.hairline } },
  axisTick: { show: false },
});

const line = (name, data, color, more = {}) => ({
  name,
  data,
  type: 'line',
  showSymbol: false,
  lineStyle: { color, width: 1.6 },
  itemStyle: { color },
  ...more,
});

const KINDS = {
  // Daily history with the forecast after it.
  history(data, c) {
    return {
      ...base(c, 'contacts'),
      grid: { left: 52, right: 14, top: 34, bottom: 58 },
      xAxis: { ...category(c, data.labels), axisLabel: { ...axisText(c), hideOverlap: true } },
      dataZoom: [
        { type: 'inside', startValue: data.zoom_from, endValue: data.labels.length - 1 },
        {
          type: 'slider', height: 20, bottom: 4, startValue: data.zoom_from, endValue: data.labels.length - 1,
          borderColor: c.hairline, fillerColor: 'rgba(138,95,10,.14)', textStyle: axisText(c),
          handleStyle: { color: c.brass }, moveHandleSize: 0, showDataShadow: true,
          dataBackground: { lineStyle: { color: c.second, opacity: .5 }, areaStyle: { opacity: 0 } },
          selectedDataBackground: { lineStyle: { color: c.second }, areaStyle: { opacity: 0 } },
        },
      ],
      series: [line('History', data.history, c.calm), line('Forecast', data.forecast, c.brass, { lineStyle: { color: c.brass, width: 2 } })],
    };
  },
  // Intervals of one week's forecast.
  week(data, c) {
    return {
      ...base(c, 'contacts'),
      xAxis: category(c, data.labels),
      series: [line('Forecast per interval', data.forecast, c.brass, { areaStyle: { color: c.brass, opacity: 0.12 } })],
      legend: { show: false },
      grid: { left: 48, right: 14, top: 24, bottom: 26 },
    };
  },
  // Need against cover over a day.
  need(data, c) {
    return {
      ...base(c, 'people'),
      xAxis: category(c, data.labels),
      series: [
        { name: 'Need', type: 'bar', data: data.need, itemStyle: { color: c.calm, opacity: 0.55 }, barCategoryGap: '12%' },
        line('Cover', data.cover, c.brass, { step: 'middle', lineStyle: { color: c.brass, width: 2.4 } }),
        line('Offered load (Erlangs)', data.load, c.second, { lineStyle: { color: c.second, width: 1.2, type: 'dashed' } }),
      ],
    };
  },
  // A trial's service level with its confidence band, and theory beside it.
  trial(data, c) {
    const band = {
      name: '95 % confidence',
      type: 'custom',
      itemStyle: { color: c.calm },
      data: data.low.map((low, index) => [index, low, data.high[index]]),
      tooltip: { show: false },
      renderItem(_, api) {
        if (Number.isNaN(api.value(1))) return null;
        const [x, low] = api.coord([api.value(0), api.value(1)]);
        const high = api.coord([api.value(0), api.value(2)])[1];
        const half = api.size([1, 0])[0] / 2;
        return { type: 'rect', shape: { x: x - half, y: high, width: 2 * half, height: Math.max(1, low - high) }, style: { fill: c.calm, opacity: 0.28 } };
      },
      encode: { x: 0, y: [1, 2] },
    };
    const basis = base(c, '%');
    return {
      ...basis,
      xAxis: category(c, data.labels),
      yAxis: { ...basis.yAxis, min: 0, max: 100 },
      series: [
        band,
        line('Trial', data.trial, c.calm, { lineStyle: { color: c.calm, width: 2 } }),
        line(data.theory_name, data.theory, c.brass, { lineStyle: { color: c.brass, width: 1.6, type: 'dashed' } }),
        line('Target', data.labels.map(() => data.target), c.storm, { lineStyle: { color: c.storm, width: 1.2 }, tooltip: { show: false } }),
      ],
    };
  },
  // What was forecast four weeks before, and what came.
  came(data, c) {
    return {
      ...base(c, 'contacts'),
      xAxis: category(c, data.labels),
      series: [
        { name: 'Came', type: 'bar', data: data.came, itemStyle: { color: c.calm, opacity: 0.6 }, barCategoryGap: '30%' },
        line('Forecast', data.forecast, c.brass, { showSymbol: true, symbolSize: 7 }),
      ],
    };
  },
};

const drawn = [];
// A panel grows with its neighbour (a longer reason beside it), and the chart with its panel.
const sizes = new ResizeObserver(() => drawn.forEach(({ chart }) => chart.resize()));

function draw(figure) {
  const data = JSON.parse(figure.querySelector('script[type="application/json"]').textContent);
  const place = figure.querySelector('.canvas');
  const chart = echarts.init(place, null, { renderer: 'svg' });
  const paint = () => chart.setOption(KINDS[figure.dataset.chart](data, look()), true);
  paint();
  drawn.push({ chart, paint });
  sizes.observe(place);
}

document.querySelectorAll('[data-chart]').forEach(draw);
document.addEventListener('barometer:theme', () => drawn.forEach(({ paint }) => paint()));
document.addEventListener('htmx:load', (event) => {
  event.detail.elt.querySelectorAll?.('[data-chart]').forEach((figure) => {
    if (!figure.querySelector('svg')) draw(figure);
  });
});
