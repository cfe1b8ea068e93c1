'use strict';

/* Colour and dashes of a curve: 0 is what is set now. Nobody has to tell them by the colour alone. */
const STROKES = {
  light: ['#0b5c8e', '#b3541e', '#4f7a1f', '#7a4aa0', '#b02a5b', '#127070', '#6b5d00'],
  dark: ['#7cc4f2', '#f0a36c', '#a6d071', '#c9a5ea', '#f591b6', '#6fd0d0', '#d8c766'],
};
const DASHES = [[], [8, 4], [2, 3], [11, 3, 2, 3], [5, 5], [14, 4], [3, 7]];

/* A loop that is unstable and has no limits grows beyond what can be drawn. */
const drawable = (value) => (Math.abs(value) < 1e30 ? value : null);

/* Points without those that lie on the straight line between others, as near as can be seen: while one slope
 * from the last point that stays passes all since then, none of them is needed. */
function straightened(points) {
  let low = Infinity, high = -Infinity;
  for (const { y } of points) if (y !== null) { low = Math.min(low, y); high = Math.max(high, y); }
  const near = (high - low) / 3000, kept = [];
  let from = null, last = null, least = -Infinity, largest = Infinity;
  const keep = (point) => { kept.push(point); from = point; least = -Infinity; largest = Infinity; };
  for (const point of points) {
    if (from === null || point.y === null || last.y === null) {
      if (last !== null && last !== from) keep(last);
      keep(point);
    } else {
      let along = point.x - from.x, slope = (point.y - from.y) / along;
      if (last !== from && !(slope >= least && slope <= largest)) {
        keep(last);
        along = point.x - from.x;
        slope = (point.y - from.y) / along;
      }
      if (along > 0) {
        least = Math.max(least, slope - near / along);
        largest = Math.min(largest, slope + near / along);
      } else {
        keep(point);
      }
    }
    last = point;
  }
  if (last !== null && last !== from) kept.push(last);
  return kept;
}

/* What is drawn of many values: of each pixel's the lowest and the highest. */
function thinned(values, step, pixels) {
  const points = [];
  const stretch = Math.max(1, Math.ceil(values.length / pixels));
  const add = (i) => points.push({ x: i * step, y: drawable(values[i]) });
  for (let first = 0; first < values.length; first += stretch) {
    const end = Math.min(first + stretch, values.length);
    let low = first, high = first;
    for (let i = first + 1; i < end; i++) {
      if (values[i] < values[low]) low = i;
      if (values[i] > values[high]) high = i;
    }
    add(Math.min(low, high));
    if (low !== high) add(Math.max(low, high));
  }
  add(values.length - 1);
  return straightened(points);
}

/* What is held from scan to scan: a point where it changes; steps that are too short to be seen are a line. */
function held(values, scan, before, pixels) {
  const steps = [{ x: -scan, y: before }];
  const add = (i, y) => steps.push({ x: i * scan, y: drawable(y) });
  for (let i = 0; i < values.length; i++) if (i === 0 || values[i] !== values[i - 1]) add(i, values[i]);
  if (steps.length > pixels / 3) {
    return { stepped: false, points: [steps[0], { x: 0, y: before }].concat(thinned(values, scan, pixels)) };
  }
  add(values.length, values[values.length - 1]);
  return { stepped: true, points: steps };
}

/* Numbers of usual size as the package writes them, others by their power of ten. */
function tickLabel(value, index, ticks) {
  const size = Math.abs(value);
  if (size >= 1e5 || (size > 0 && size < 1e-3)) return value.toExponential(1);
  return Chart.Ticks.formatters.numeric.call(this, value, index, ticks);
}

/* One plot over time; the curves are set one at a time and drawn together. */
class Plot {
  constructor(canvas, yTitle, legend, minutes) {
    this.stepped = !legend;
    this.chart = new Chart(canvas, {
      type: 'line',
      data: { datasets: [] },
      options: {
        animation: false, responsive: true, maintainAspectRatio: false, parsing: false, normalized: true,
        events: [], layout: { padding: { right: 10 } },
        scales: {
          x: { type: 'linear', title: { display: !legend, text: minutes ? 'time, min' : 'time, s' }, ticks: {} },
          y: { title: { display: true, text: yTitle }, afterFit: (axis) => { axis.width = 64; } },
        },
        plugins: {
          legend: { display: legend, align: 'start', labels: { boxWidth: 34, boxHeight: 0 } },
          tooltip: { enabled: false },
        },
      },
    });
    this.colours('light');
  }

  pixels() {
    return Math.max(200, Math.floor(this.chart.width));
  }

  colours(theme) {
    const style = getComputedStyle(document.documentElement);
    const options = this.chart.options;
    this.theme = theme;
    this.soft = style.getPropertyValue('--soft').trim();
    for (const axis of [options.scales.x, options.scales.y]) {
      axis.grid = { color: style.getPropertyValue('--line').trim() };
      axis.ticks = { color: this.soft, includeBounds: false, callback: tickLabel };
      axis.title.color = this.soft;
    }
    options.plugins.legend.labels.color = style.getPropertyValue('--ink').trim();
    this.chart.data.datasets.forEach((set) => this.paint(set));
  }

  paint(set) {
    const strokes = STROKES[this.theme];
    set.borderColor = set.place < 0 ? this.soft : strokes[set.place % strokes.length];
    set.borderDash = set.place < 0 ? [4, 4] : DASHES[set.place % DASHES.length];
    set.borderWidth = set.place === 0 ? 2.2 : 1.5;
  }

  /* place: of the curve; -1: the setpoint. */
  set(at, place, name, { points, stepped }) {
    const sets = this.chart.data.datasets;
    sets[at] = sets[at] || { pointRadius: 0, order: place === 0 ? 0 : 1 };
    Object.assign(sets[at], { place, label: name, data: points, stepped: stepped ? 'before' : false });
    this.paint(sets[at]);
  }

  draw(count, end) {
    this.chart.data.datasets.length = count;
    this.chart.options.scales.x.min = -0.02 * end;
    this.chart.options.scales.x.max = end;
    this.chart.update('none');
  }
}
