// How a campaign paces itself on a replayed day: the figures at the moment that is shown, and three lanes over the
// day. A moment is [seconds, [on shift, free, talking, ringing, asked for], gives way, [answered, abandoned, left],
// [answered share, seconds to the answer, handle seconds, risk] or null].

const LANES = ['lines', 'abandoned', 'expected'];
// Between two decisions further apart than this the campaign did not dial.
const PAUSE_SECS = 300;
const LEFT = 44;
const [SHIFT, FREE, TALKING, RINGING, ASKED] = [0, 1, 2, 3, 4];

const percent = (share, digits = 1) => `${(100 * share).toFixed(digits)} %`;

// The moment that was last before a time; none where the campaign had not begun.
function momentAt(moments, secs) {
  let [low, high] = [0, moments.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (moments[middle][0] <= secs) low = middle + 1;
    else high = middle;
  }
  return moments[low - 1];
}

function figuresOf(campaign, moment) {
  const [, busy, givesWay, [answered, abandoned, left], reckoned] = moment;
  const rows = [];
  if (campaign.abandons || busy[SHIFT]) rows.push(['Agents: on shift, free, talking', `${busy[SHIFT]}, ${busy[FREE]}, ${busy[TALKING]}`]);
  rows.push(['Lines: ringing, asked for', givesWay ? `${busy[RINGING]}, gives way to inbound` : `${busy[RINGING]}, ${busy[ASKED]}`]);
  if (reckoned) {
    const [share, answer, handle, risk] = reckoned;
    rows.push(['Expects of lines to be answered', percent(share)]);
    rows.push(['Expects until the answer', `${answer.toFixed(1)} s`]);
    rows.push(['Expects of a conversation', `${handle.toFixed(0)} s`]);
    rows.push(['Risks for a line that nobody is free', percent(risk)]);
  }
  if (campaign.abandons) {
    const share = answered ? ` (${percent(abandoned / answered)})` : '';
    rows.push(['Abandoned of answered today', `${abandoned} of ${answered}${share}`]);
  }
  rows.push(['People left', left.toLocaleString('en-GB')]);
  return rows;
}

export function pacingOf(figure, campaigns, { dayFrom, dayUntil, clock, token, goTo }) {
  const shown = [...figure.querySelectorAll('[data-pacing]')].map((place) => ({
    campaign: campaigns[Number(place.dataset.pacing)],
    canvas: place.querySelector('canvas'),
    figures: place.querySelector('[data-part="figures"]'),
  }));

  // From the first hour in which it dials to the last.
  const spanOf = ({ moments }) => [
    Math.max(dayFrom, Math.floor(moments[0][0] / 3600) * 3600),
    Math.min(dayUntil, Math.ceil((moments.at(-1)[0] + 1) / 3600) * 3600),
  ];

  for (const { campaign, canvas } of shown) {
    canvas.addEventListener('click', (event) => {
      const [first, last] = spanOf(campaign);
      goTo(Math.max(first, first + ((event.offsetX - LEFT) / (canvas.clientWidth - LEFT - 10)) * (last - first)));
    });
  }

  function show(now) {
    for (const { campaign, figures } of shown) {
      const moment = momentAt(campaign.moments, now);
      const rows = moment ? figuresOf(campaign, moment) : [['It has not begun to dial', '–']];
      figures.replaceChildren(...rows.map(([term, told]) => {
        const [row, name, value] = ['div', 'dt', 'dd'].map((kind) => document.createElement(kind));
        name.textContent = term;
        value.textContent = told;
        row.append(name, value);
        return row;
      }));
    }
    draw(now);
  }

  function draw(now) {
    for (const each of shown) drawOne(each, now);
  }

  function drawOne({ campaign, canvas }, now) {
    const scale = window.devicePixelRatio || 1;
    const [width, height] = [canvas.clientWidth, canvas.clientHeight];
    canvas.width = width * scale;
    canvas.height = height * scale;
    const pen = canvas.getContext('2d');
    pen.scale(scale, scale);
    pen.font = '12px "Source Sans 3 Variable", sans-serif';
    const { moments } = campaign;
    const [first, last] = spanOf(campaign);
    const x = (secs) => LEFT + ((width - LEFT - 10) * (secs - first)) / (last - first);
    const lanes = LANES.filter((lane) => (lane === 'abandoned' ? campaign.abandons : lane !== 'expected' || moments[0][4]));
    const tall = (height - 18) / lanes.length;
    for (let hour = first; hour < last; hour += 3600) {
      pen.fillStyle = token('--hairline');
      pen.fillRect(x(hour), 4, 1, height - 20);
      pen.fillStyle = token('--second-ink');
      pen.fillText(clock(hour).slice(0, 5), x(hour) - 14, height - 3);
    }
    // A line through the moments; it breaks where nothing was decided for long.
    const line = (of, y, colour, dashes = []) => {
      pen.strokeStyle = colour;
      pen.lineWidth = 1.6;
      pen.setLineDash(dashes);
      pen.beginPath();
      let before;
      for (const moment of moments) {
        const value = of(moment);
        if (value === undefined) continue;
        if (before === undefined || moment[0] - before > PAUSE_SECS) pen.moveTo(x(moment[0]), y(value));
        else pen.lineTo(x(moment[0]), y(value));
        before = moment[0];
      }
      pen.stroke();
      pen.setLineDash([]);
    };
    lanes.forEach((lane, nth) => {
      const [top, bottom] = [nth * tall + 18, (nth + 1) * tall - 6];
      const scaled = (most) => (value) => bottom - ((bottom - top) * Math.min(value, most)) / most;
      const mark = (words, most) => {
        pen.fillStyle = token('--second-ink');
        pen.fillText(most, 4, top + 4);
        pen.fillText('0', 4, bottom);
        let at = LEFT + 4;
        for (const [word, colour] of words) {
          pen.fillStyle = token(colour);
          pen.fillText(word, at, top - 5);
          at += pen.measureText(word).width + 14;
        }
      };
      if (lane === 'lines') {
        const most = Math.max(1, ...moments.map(([, busy]) => Math.max(busy[SHIFT], busy[RINGING])));
        const y = scaled(most);
        line(([, busy]) => busy[SHIFT], y, token('--hairline'));
        line(([, busy]) => busy[FREE], y, token('--brass'));
        line(([, busy]) => busy[RINGING], y, token('--calm'));
        mark([['lines that ring', '--calm'], ['agents free', '--brass'], ['on shift', '--second-ink']], `${most}`);
      } else if (lane === 'abandoned') {
        const share = ([, , , [answered, abandoned]]) => (answered ? abandoned / answered : undefined);
        const most = Math.max(1.4 * campaign.ceiling, Math.min(1, Math.max(...moments.map((moment) => share(moment) ?? 0))));
        const y = scaled(most);
        line(share, y, token('--storm'));
        line(() => campaign.ceiling, y, token('--second-ink'), [5, 4]);
        mark([['abandoned of answered today', '--storm'], [`ceiling ${percent(campaign.ceiling)}`, '--second-ink']], percent(most, 0));
      } else {
        const most = Math.min(1, 1.25 * Math.max(0.01, ...moments.map((moment) => moment[4]?.[0] ?? 0)));
        line((moment) => moment[4]?.[0], scaled(most), token('--calm'));
        mark([['share of lines it expects to be answered', '--calm']], percent(most, 0));
      }
    });
    if (now >= first && now <= last) {
      pen.fillStyle = token('--brass');
      pen.fillRect(x(now) - 1, 4, 2, height - 20);
    }
  }

  return { show, draw };
}
