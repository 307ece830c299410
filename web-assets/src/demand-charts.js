// Charts of the demand pages, and what a hand can do on them.
import { axisText, base, category, line } from './chart-basics.js';

// A band between two lines: the lower one unseen, the difference stacked on it.
const band = (name, low, high, color, opacity) => [
  { ...line(`${name} low`, low, color, { lineStyle: { opacity: 0 }, stack: name, tooltip: { show: false }, silent: true }) },
  { ...line(name, high.map((value, at) => (value == null ? null : value - low[at])), color, { lineStyle: { opacity: 0 }, itemStyle: { color, opacity: Math.min(1, 3 * opacity) }, areaStyle: { color, opacity }, stack: name, tooltip: { show: false }, silent: true }) },
];

const zoom = (c, from, last) => [
  { type: 'inside', startValue: from, endValue: last, zoomOnMouseWheel: 'ctrl', moveOnMouseMove: false, moveOnMouseWheel: true },
  {
    type: 'slider', height: 18, bottom: 4, startValue: from, endValue: last,
    borderColor: c.hairline, fillerColor: 'rgba(138,95,10,.14)', textStyle: axisText(c),
    handleStyle: { color: c.brass }, moveHandleSize: 0, showDataShadow: true,
    dataBackground: { lineStyle: { color: c.second, opacity: 0.5 }, areaStyle: { opacity: 0 } },
    selectedDataBackground: { lineStyle: { color: c.second }, areaStyle: { opacity: 0 } },
  },
];

const number = (value) => (value == null ? '–' : Number(value).toLocaleString('en-GB', { maximumFractionDigits: 1 }));

// A tooltip that tells a band as a band.
const told = (rows) => (points) => {
  const at = points[0].dataIndex;
  const lines = rows(at).filter(([, text]) => text != null && text !== '–');
  return `<strong>${points[0].axisValueLabel}</strong><br>${lines.map(([name, text]) => `${name}: ${text}`).join('<br>')}`;
};

export const demand = {
  // Daily history with the forecast, its bands and its overlays after it.
  history(data, c) {
    const basis = base(c, 'contacts');
    const hasOverlays = data.before_overlays.some((value) => value != null);
    const legend = ['History', ...(data.cleaned.some((value) => value != null) ? ['Cleaned'] : []), 'Forecast', { name: '80 % band', icon: 'rect' }, { name: '95 % band', icon: 'rect' }, ...(hasOverlays ? ['Without overlays'] : [])];
    return {
      ...basis,
      legend: { ...basis.legend, data: legend },
      grid: { left: 52, right: 14, top: 34, bottom: 52 },
      tooltip: {
        ...basis.tooltip,
        formatter: told((at) => [
          ['Actual', number(data.history[at])],
          ['Cleaned', number(data.cleaned[at])],
          ['Forecast', data.forecast[at] == null ? null : `${number(data.forecast[at])} contacts`],
          ['80 % band', data.low_80[at] == null ? null : `${number(data.low_80[at])} – ${number(data.high_80[at])}`],
          ['95 % band', data.low_95[at] == null ? null : `${number(data.low_95[at])} – ${number(data.high_95[at])}`],
          ['Without overlays', hasOverlays ? number(data.before_overlays[at]) : null],
        ]),
      },
      xAxis: category(c, data.labels),
      dataZoom: zoom(c, data.zoom_from, data.labels.length - 1),
      series: [
        // First: the slider below draws the shadow of the first series.
        line('History', data.history, c.calm),
        ...band('95 % band', data.low_95, data.high_95, c.brass, 0.13),
        ...band('80 % band', data.low_80, data.high_80, c.brass, 0.22),
        line('Cleaned', data.cleaned, c.storm, { lineStyle: { color: c.storm, width: 1.8, type: 'dashed' }, symbol: 'circle', showSymbol: true, symbolSize: 4 }),
        line('Without overlays', data.before_overlays, c.second, { lineStyle: { color: c.second, width: 1.2, type: 'dotted' } }),
        line('Forecast', data.forecast, c.brass, { lineStyle: { color: c.brass, width: 2 } }),
      ],
    };
  },
  // Intervals of one week's forecast; one is taken apart beside it.
  week(data, c) {
    const basis = base(c, 'contacts');
    return {
      ...basis,
      legend: { show: false },
      grid: { left: 48, right: 14, top: 24, bottom: 26 },
      tooltip: {
        ...basis.tooltip,
        formatter: told((at) => [['Forecast', `${number(data.forecast[at])} contacts`], ['80 % band', `${number(data.low[at])} – ${number(data.high[at])}`]]),
      },
      xAxis: category(c, data.labels),
      series: [
        ...band('80 % band', data.low, data.high, c.brass, 0.2),
        line('Forecast', data.forecast, c.brass, { lineStyle: { color: c.brass, width: 1.8 }, markLine: { silent: true, symbol: 'none', label: { show: false }, lineStyle: { color: c.ink, width: 1 }, data: [] } }),
      ],
    };
  },
  // Error of every method by days ahead.
  horizon(data, c) {
    const basis = base(c, '%');
    const look = { used: { color: c.brass, width: 3 }, naive: { color: c.storm, width: 2, type: 'dashed' }, other: { color: c.second, width: 1 } };
    const ends = (part) => part !== 'other';
    return {
      ...basis,
      grid: { left: 48, right: 130, top: 24, bottom: 26 },
      legend: { show: false },
      tooltip: { ...basis.tooltip, order: 'valueAsc' },
      xAxis: category(c, data.labels),
      yAxis: { ...basis.yAxis, scale: true },
      series: data.lines.map(({ name, part, values }) => line(name, values, look[part].color, {
        lineStyle: look[part],
        z: part === 'other' ? 1 : 3,
        showSymbol: part === 'used',
        symbolSize: 7,
        endLabel: { show: ends(part), formatter: '{a}', color: c.ink, fontFamily: 'Source Sans 3 Variable', fontSize: 12, width: 120, overflow: 'break' },
      })),
    };
  },
  // Error by weekday on the left and by hour on the right.
  place(data, c) {
    const basis = base(c, '%');
    const bar = (values, grid, color) => ({ type: 'bar', data: values, xAxisIndex: grid, yAxisIndex: grid, itemStyle: { color, opacity: 0.65 }, barCategoryGap: '22%' });
    return {
      ...basis,
      legend: { show: false },
      grid: [{ left: 48, width: '26%', top: 24, bottom: 26 }, { left: '42%', right: 14, top: 24, bottom: 26 }],
      xAxis: [category(c, data.weekdays), category(c, data.slots)].map((axis, gridIndex) => ({ ...axis, gridIndex })),
      yAxis: [{ ...basis.yAxis, gridIndex: 0 }, { ...basis.yAxis, gridIndex: 1 }],
      series: [{ ...bar(data.by_weekday, 0, c.calm), name: 'Off (WAPE)' }, { ...bar(data.by_slot, 1, c.calm), name: 'Off (WAPE)' }],
    };
  },
  // Days of history with the stretches that are found or decided.
  cleaning(data, c) {
    const area = ([from, to, decided]) => [
      { xAxis: from, itemStyle: decided ? { color: c.second, opacity: 0.18, decal: { symbol: 'line', dashArrayX: [1, 0], dashArrayY: [2, 3], rotation: 0.8, color: c.second } } : { color: c.storm, opacity: 0.22 } },
      { xAxis: Math.max(to, from + 1) },
    ];
    return {
      ...base(c, 'contacts'),
      legend: { show: false },
      grid: { left: 52, right: 14, top: 24, bottom: 52 },
      xAxis: { ...category(c, data.labels), boundaryGap: false },
      dataZoom: zoom(c, data.zoom_from, data.labels.length - 1),
      series: [line('Actual', data.offered, c.calm, { markArea: { silent: true, data: data.stretches.map(area) } })],
    };
  },
  // The forecast with and without its overlays; days can be dragged.
  overlays(data, c) {
    const basis = base(c, 'contacts');
    return {
      ...basis,
      grid: { left: 52, right: 14, top: 34, bottom: 28 },
      xAxis: category(c, data.labels),
      yAxis: { ...basis.yAxis, max: (range) => { const step = 10 ** Math.floor(Math.log10(Math.max(range.max, 1))); return Math.ceil((range.max * 1.2) / step) * step; } },
      series: [
        { name: 'History says', type: 'bar', data: data.base, itemStyle: { color: c.calm, opacity: 0.45 }, barCategoryGap: '30%' },
        line('With overlays', data.contacts, c.brass, { showSymbol: true, symbol: 'circle', symbolSize: 9, lineStyle: { color: c.brass, width: 2 } }),
      ],
    };
  },
  // Two forecasts, or one and what came.
  compared(data, c) {
    return {
      ...base(c, 'contacts'),
      xAxis: category(c, data.labels),
      series: [line(data.left_name, data.left, c.calm, { lineStyle: { color: c.calm, width: 2 } }), line(data.right_name, data.right, c.brass, { lineStyle: { color: c.brass, width: 2, type: 'dashed' } })],
    };
  },
};

const clampTo = (list, at) => Math.max(0, Math.min(list.length - 1, at));

// Which entry of the axis lies under the pointer.
const entryAt = (chart, list, event) => clampTo(list, Math.round(chart.convertFromPixel({ seriesIndex: 0 }, [event.offsetX, event.offsetY])[0]));

// Dragging over days chooses them; `chosen(first, last)` gets their indexes.
function bindRange(chart, days, chosen) {
  let from = null;
  const surface = chart.getZr();
  surface.on('mousedown', (event) => {
    if (chart.containPixel('grid', [event.offsetX, event.offsetY])) from = event;
  });
  surface.on('mousemove', (event) => {
    if (!from) return;
    const [first, last] = [entryAt(chart, days, from), entryAt(chart, days, event)].sort((a, b) => a - b);
    chart.setOption({ series: [{ id: 'drag', type: 'line', data: [], markArea: { silent: true, itemStyle: { color: '#8a5f0a', opacity: 0.25 }, data: [[{ xAxis: first }, { xAxis: Math.max(last, first + 1) }]] } }] });
  });
  surface.on('mouseup', (event) => {
    if (!from) return;
    const [first, last] = [entryAt(chart, days, from), entryAt(chart, days, event)].sort((a, b) => a - b);
    const moved = Math.abs(event.offsetX - from.offsetX) > 4;
    from = null;
    if (moved) chosen(first, last);
  });
}

const dayAfter = (day) => new Date(Date.parse(`${day}T00:00:00Z`) + 86400000).toISOString().slice(0, 10);

export const bind = {
  history(chart, data) {
    const known = data.history.length - data.forecast.filter((value) => value != null).length;
    bindRange(chart, data.days, (first, last) => {
      if (first >= known) return;
      const until = dayAfter(data.days[Math.min(last, known - 1)]);
      window.location.assign(`${data.marks}&from=${data.days[first]}T00:00&until=${until}T00:00#mark`);
    });
  },
  cleaning(chart, data) {
    const form = document.getElementById('mark');
    if (!form) return;
    bindRange(chart, data.days, (first, last) => {
      form.querySelector('[name="from"]').value = `${data.days[first]}T00:00`;
      form.querySelector('[name="until"]').value = `${dayAfter(data.days[last])}T00:00`;
      form.querySelector('[name="why"]').focus();
    });
  },
  week(chart, data, figure) {
    let at = data.forecast.indexOf(Math.max(...data.forecast));
    figure.tabIndex = 0;
    figure.setAttribute('role', 'group');
    figure.setAttribute('aria-label', 'Forecast per interval; arrow keys move from interval to interval');
    const show = (wanted) => {
      at = clampTo(data.at, wanted);
      chart.setOption({ series: [{}, {}, { markLine: { data: [{ xAxis: at }] } }] });
      window.htmx.ajax('GET', `${data.made_of}?at=${data.at[at]}`, { target: '#made-of', swap: 'innerHTML' });
    };
    chart.setOption({ series: [{}, {}, { markLine: { data: [{ xAxis: at }] } }] });
    chart.getZr().on('click', (event) => {
      if (chart.containPixel('grid', [event.offsetX, event.offsetY])) show(entryAt(chart, data.at, event));
    });
    figure.addEventListener('keydown', (event) => {
      const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
      if (!step) return;
      event.preventDefault();
      event.stopPropagation();
      show(at + step);
    });
  },
  overlays(chart, data) {
    if (!data.may_drag) return;
    let day = null;
    const contacts = [...data.contacts];
    const surface = chart.getZr();
    const valueAt = (event) => Math.max(0, Math.round(chart.convertFromPixel({ seriesIndex: 1 }, [event.offsetX, event.offsetY])[1]));
    surface.on('mousedown', (event) => {
      if (chart.containPixel('grid', [event.offsetX, event.offsetY])) day = entryAt(chart, data.days, event);
    });
    surface.on('mousemove', (event) => {
      if (day === null) return;
      contacts[day] = valueAt(event);
      chart.setOption({ series: [{}, { data: contacts }] });
    });
    surface.on('mouseup', (event) => {
      if (day === null) return;
      const form = document.getElementById('overlay-form');
      form.name.value = `${data.labels[day]} set by hand`;
      form.from.value = data.days[day];
      form.to.value = data.days[day];
      form.querySelectorAll('[name="weekday"]').forEach((box) => { box.checked = true; });
      form.kind.value = 'day-total';
      form.amount.value = valueAt(event);
      day = null;
      form.querySelector('button[type="submit"]').focus();
    });
  },
};
