// A shift as pieces of work, from and until in minutes after midnight, with breaks between them. A change that would leave no
// shift gives the pieces as they were.
export const LAST_MINUTE = 36 * 60;
const SHORTEST = 15;
const BREAK = 30;

export const clock = (minutes) => `${String(Math.floor(minutes / 60) % 24).padStart(2, '0')}:${String(minutes % 60).padStart(2, '0')}`;
export const hours = (pieces) => pieces.reduce((sum, [from, to]) => sum + to - from, 0) / 60;

// "08:00 to 16:00, break 12:00 to 12:30"
export function words(pieces) {
  if (!pieces.length) return '';
  const breaks = pieces.slice(1).map(([from], nth) => `break ${clock(pieces[nth][1])} to ${clock(from)}`);
  return [`${clock(pieces[0][0])} to ${clock(pieces.at(-1)[1])}`, ...breaks].join(', ');
}

const isShift = (pieces) =>
  pieces.every(([from, to], nth) => from >= 0 && from < 1440 && to - from >= SHORTEST && to <= LAST_MINUTE && (!nth || from >= pieces[nth - 1][1]));
const possible = (pieces, before) => (isShift(pieces) ? pieces : before);

export const moved = (pieces, by) => possible(pieces.map(([from, to]) => [from + by, to + by]), pieces);
export const begun = (pieces, by) => possible(pieces.map(([from, to], nth) => [nth ? from : from + by, to]), pieces);
export const ended = (pieces, by) => possible(pieces.map(([from, to], nth) => [from, nth === pieces.length - 1 ? to + by : to]), pieces);
export const breakMoved = (pieces, by, at = 0) =>
  pieces.length < 2
    ? pieces
    : possible(pieces.map(([from, to], nth) => [nth === at + 1 ? from + by : from, nth === at ? to + by : to]), pieces);

// Without breaks, or with half an hour in the middle.
export function breakToggled(pieces) {
  const [from, to] = [pieces[0][0], pieces.at(-1)[1]];
  if (pieces.length > 1) return [[from, to]];
  const begin = SHORTEST * Math.round((from + to) / 2 / SHORTEST) - SHORTEST;
  return possible([[from, begin], [begin + BREAK, to]], pieces);
}
