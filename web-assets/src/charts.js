// Charts of the pages: a figure holds its data as JSON, and its kind says how it is drawn.
import * as echarts from 'echarts/core';
import { BarChart, CustomChart, LineChart } from 'echarts/charts';
import { AriaComponent, DataZoomComponent, GridComponent, LegendComponent, MarkAreaComponent, MarkLineComponent, TooltipComponent } from 'echarts/components';
import { SVGRenderer } from 'echarts/renderers';
import { base, category, line, look } from './chart-basics.js';
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
  bind[figure.dataset.chart]?.(chart, data, figure);
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
