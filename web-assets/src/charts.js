// Charts of the pages: a figure holds its data as JSON, and its kind says how it is drawn.
import * as echarts from 'echarts/core';
import { BarChart, CustomChart, LineChart } from 'echarts/charts';
import { AriaComponent, DataZoomComponent, GridComponent, LegendComponent, MarkAreaComponent, MarkLineComponent, TooltipComponent } from 'echarts/components';
import { SVGRenderer } from 'echarts/renderers';
import { axisText, base, category, line, look } from './chart-basics.js';
import { bind, demand } from './demand-charts.js';

echarts.use([AriaComponent, BarChart, CustomChart, DataZoomComponent, GridComponent, LegendComponent, LineChart, MarkAreaComponent, MarkLineComponent, SVGRenderer, TooltipComponent]);

const KINDS = {
  ...demand,
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
  // Cover less need over a week: what is over above the line, what is missing below it.
  cover(data, c) {
    const basis = base(c, 'people');
    const over = data.over.map((value) => (value > 0 ? value : null));
    const under = data.over.map((value) => (value < 0 ? value : null));
    return {
      ...basis,
      xAxis: { ...category(c, data.labels), axisLine: { onZero: true, lineStyle: { color: c.second } } },
      series: [
        { name: 'Over', type: 'bar', stack: 'x', data: over, itemStyle: { color: c.calm, opacity: 0.55 }, barCategoryGap: '0%' },
        { name: 'Under', type: 'bar', stack: 'x', data: under, itemStyle: { color: c.storm, opacity: 0.8 }, barCategoryGap: '0%' },
        line('Need', data.need, c.second, { step: 'middle', lineStyle: { color: c.second, width: 1.2 } }),
        line('Cover', data.cover, c.brass, { step: 'middle', lineStyle: { color: c.brass, width: 1.8 } }),
      ],
    };
  },
  // Service level for agent-hours: as few as each promise takes, and where the cover stands.
  service(data, c) {
    const basis = base(c, '%');
    const axis = { ...basis.yAxis };
    const point = (name, value, colour, symbol) => ({ name, type: 'line', data: [value], symbol, symbolSize: 13, itemStyle: { color: colour }, lineStyle: { opacity: 0 } });
    return {
      ...basis,
      tooltip: { ...basis.tooltip, trigger: 'item', formatter: ({ seriesName, value }) => `${seriesName}<br>${value[0]} agent-hours: ${value[1]} %` },
      xAxis: { ...axis, type: 'value', name: 'agent-hours', nameLocation: 'middle', nameGap: 26, scale: true, axisLabel: { color: c.second } },
      yAxis: { ...axis, scale: true, max: ({ max }) => Math.min(100, Math.ceil(max) + 1), axisLabel: { ...axis.axisLabel, showMaxLabel: false } },
      grid: { ...basis.grid, bottom: 44 },
      series: [
        { name: 'Service level', type: 'line', smooth: 0.2, data: data.curve.map(([hours, level]) => [hours, level]), symbolSize: 6, itemStyle: { color: c.calm }, lineStyle: { color: c.calm, width: 2.4 }, markLine: { silent: true, symbol: 'none', data: [{ yAxis: data.target }], lineStyle: { color: c.storm, type: 'dashed' }, label: { formatter: `target ${data.target} %`, color: c.second, position: 'insideStartTop' } } },
        ...(data.cover ? [point('Cover', data.cover, c.brass, 'diamond')] : []),
      ],
    };
  },
  // A day's exact service level with each interval's own need, and with a plan that holds.
  held(data, c) {
    const basis = base(c, '%');
    return {
      ...basis,
      xAxis: category(c, data.labels),
      yAxis: { ...basis.yAxis, scale: true, max: ({ max }) => Math.min(100, Math.ceil(max) + 1), axisLabel: { ...basis.yAxis.axisLabel, showMaxLabel: false } },
      series: [
        line('Own need', data.own, c.brass, { lineStyle: { color: c.brass, width: 2, type: 'dashed' } }),
        line('Held in every interval', data.held, c.calm, { lineStyle: { color: c.calm, width: 2.4 } }),
        line('Target', data.labels.map(() => data.target), c.storm, { lineStyle: { color: c.storm, width: 1.2 }, tooltip: { show: false } }),
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
        ...(data.theory_name ? [line(data.theory_name, data.theory, c.brass, { lineStyle: { color: c.brass, width: 1.6, type: 'dashed' } })] : []),
        line('Target', data.labels.map(() => data.target), c.storm, { lineStyle: { color: c.storm, width: 1.2 }, tooltip: { show: false } }),
      ],
    };
  },
  // So many per cent had waited at most so long: of those answered, and of those who gave up.
  waits(data, c) {
    const basis = base(c, '%');
    const last = Math.max(1, ...[...data.answered, ...data.abandoned].map(([secs]) => secs));
    const curve = (name, points, color, more = {}) =>
      line(name, [...points, ...(points.length ? [[last, 100]] : [])], color, { step: 'end', ...more });
    return {
      ...basis,
      grid: { ...basis.grid, bottom: 40 },
      tooltip: { ...basis.tooltip, formatter: undefined },
      xAxis: { type: 'value', min: 0, max: Math.ceil(last), name: 'seconds waited', nameLocation: 'middle', nameGap: 26, nameTextStyle: axisText(c), axisLabel: axisText(c), splitLine: { show: false }, axisLine: { lineStyle: { color: c.hairline } } },
      yAxis: { ...basis.yAxis, min: 0, max: 100 },
      series: [
        curve('Answered', data.answered, c.calm, { lineStyle: { color: c.calm, width: 2 } }),
        curve('Gave up', data.abandoned, c.storm, { lineStyle: { color: c.storm, width: 1.6, type: 'dashed' } }),
        line('Threshold', [[data.within, 0], [data.within, 100]], c.brass, { lineStyle: { color: c.brass, width: 1.2 }, tooltip: { show: false } }),
      ],
    };
  },
  // Where in the day candidates differ from the first: points of service level, with confidence.
  differences(data, c) {
    const colors = [c.calm, c.brass, c.storm, c.second, c.ink];
    const basis = base(c, 'points');
    return {
      ...basis,
      xAxis: category(c, data.labels),
      series: data.series.flatMap((one, nth) => {
        const color = colors[nth % colors.length];
        const edge = (points) => line(one.name, points, color, { lineStyle: { color, width: 0.8, type: 'dotted' }, tooltip: { show: false } });
        return [line(one.name, one.points, color, { lineStyle: { color, width: 2 } }), edge(one.low), edge(one.high)];
      }),
    };
  },
  // Service level, abandonment and occupancy as a setting changes, with the target.
  sweep(data, c) {
    const basis = base(c, '%');
    const points = (figures) => figures.map((figure, nth) => [data.values[nth], figure]);
    const edge = (figures) => line('95 % confidence', points(figures), c.calm, { lineStyle: { color: c.calm, width: 0.8, type: 'dotted' }, tooltip: { show: false } });
    return {
      ...basis,
      grid: { ...basis.grid, bottom: 42 },
      xAxis: { type: 'value', min: data.values[0], max: data.values.at(-1), name: data.axis, nameLocation: 'middle', nameGap: 27, nameTextStyle: axisText(c), axisLabel: axisText(c), splitLine: { show: false }, axisLine: { lineStyle: { color: c.hairline } } },
      yAxis: { ...basis.yAxis, min: 0, max: 100, axisLine: { show: false, onZero: false } },
      series: [
        line('Service level', points(data.level), c.calm, { lineStyle: { color: c.calm, width: 2 }, showSymbol: true }),
        edge(data.low),
        edge(data.high),
        line('Abandonment', points(data.abandonment), c.storm, { lineStyle: { color: c.storm, width: 1.6, type: 'dashed' } }),
        line('Occupancy', points(data.occupancy), c.brass, { lineStyle: { color: c.brass, width: 1.6, type: 'dashed' } }),
        ...(data.target === null ? [] : [line('Target', data.values.map((value) => [value, data.target]), c.storm, { lineStyle: { color: c.storm, width: 1.2 }, tooltip: { show: false } })]),
      ],
    };
  },
  // What was forecast four weeks before, and what came.
  came(data, c) {
    return {
      ...base(c, 'contacts'),
      xAxis: category(c, data.labels),
      series: [
        { name: 'Actual', type: 'bar', data: data.came, itemStyle: { color: c.calm, opacity: 0.6 }, barCategoryGap: '30%' },
        line('Forecast', data.forecast, c.brass, { showSymbol: true, symbolSize: 7 }),
      ],
    };
  },
};

const drawn = [];
// A panel grows with its neighbour (a longer reason beside it), and the chart with its panel.
const sizes = new ResizeObserver(() => drawn.forEach(({ chart }) => chart.resize()));

// A legend names what is drawn: no series that has nothing to show.
function withTrueLegend(option) {
  const isDrawn = ({ data }) => !Array.isArray(data) || data.length === 0 || data.some((value) => value !== null && value !== undefined);
  const empty = new Set(option.series.filter((each) => !isDrawn(each)).map(({ name }) => name));
  if (empty.size === 0 || !option.legend) return option;
  const named = option.legend.data ?? option.series.map(({ name }) => name).filter(Boolean);
  return { ...option, legend: { ...option.legend, data: named.filter((each) => !empty.has(each.name ?? each)) } };
}

function draw(figure) {
  const data = JSON.parse(figure.querySelector('script[type="application/json"]').textContent);
  const place = figure.querySelector('.canvas');
  const chart = echarts.init(place, null, { renderer: 'svg' });
  const paint = () => chart.setOption(withTrueLegend(KINDS[figure.dataset.chart](data, look())), true);
  paint();
  bind[figure.dataset.chart]?.(chart, data, figure);
  drawn.push({ chart, paint });
  sizes.observe(place);
}

document.querySelectorAll('[data-chart]').forEach(draw);
document.addEventListener('barometer:theme', () => drawn.forEach(({ paint }) => paint()));
document.addEventListener('htmx:load', (event) => {
  const { elt } = event.detail;
  const figures = [...(elt.querySelectorAll?.('[data-chart]') ?? []), ...(elt.matches?.('[data-chart]') ? [elt] : [])];
  figures.filter((figure) => !figure.querySelector('svg')).forEach(draw);
});
