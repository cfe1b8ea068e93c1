'use strict';

/* ---- controls: a number field each, most with a slider ---- */

const tidy = (value) => Number(value.toPrecision(5));

/* Where a value lies on its slider, 0 to 1000, and back. */
const scales = {
  log: {
    place: (c, v) => 1000 * Math.log(Math.abs(v) / c.low) / Math.log(c.high / c.low),
    value: (c, p) => c.sign * c.low * Math.pow(c.high / c.low, p / 1000),
  },
  even: {
    place: (c, v) => 1000 * (v - c.low) / (c.high - c.low),
    value: (c, p) => c.low + (c.high - c.low) * p / 1000,
  },
};

class Control {
  /* about: key, label, unit, start, and of a slider scale, low, high; of a choice words */
  constructor(about, onMove) {
    Object.assign(this, { sign: 1 }, about);
    this.box = document.createElement('div');
    this.box.className = 'control';
    const label = document.createElement('label');
    label.textContent = this.label || this.key;
    label.htmlFor = 'set-' + this.key;
    this.box.append(label);
    if (this.words) this.addChoice(onMove);
    else this.addNumber(label.textContent, onMove);
    this.value = this.start;
  }

  addChoice(onMove) {
    this.box.className += ' plain';
    this.field = document.createElement('select');
    this.field.id = 'set-' + this.key;
    for (const word of this.words) this.field.add(new Option(word, word));
    this.field.addEventListener('change', () => onMove(this));
    this.box.append(this.field);
  }

  addNumber(name, onMove) {
    this.field = Object.assign(document.createElement('input'), { type: 'number', step: 'any', id: 'set-' + this.key });
    this.field.addEventListener('input', () => { this.exact = null; this.follow(); onMove(this); });
    if (this.hint) this.field.placeholder = this.hint;
    const unit = document.createElement('span');
    unit.className = 'unit';
    unit.textContent = this.unit || '';
    if (this.scale) {
      this.slider = Object.assign(document.createElement('input'), { type: 'range', min: 0, max: 1000, step: 1 });
      this.slider.setAttribute('aria-label', name + ', slider');
      this.slider.addEventListener('input', () => {
        this.exact = null;
        this.field.value = tidy(scales[this.scale].value(this, Number(this.slider.value)));
        this.tell();
        onMove(this);
      });
      this.box.append(this.slider);
    } else {
      this.box.append(document.createElement('span'));
    }
    this.box.append(this.field, unit);
  }

  tell() {
    this.slider.setAttribute('aria-valuetext', this.field.value + ' ' + (this.unit || ''));
  }

  /* The slider goes where the number is. */
  follow() {
    if (!this.slider || !Number.isFinite(this.value)) return;
    this.slider.value = scales[this.scale].place(this, this.value);
    this.tell();
  }

  /* A number that nobody typed has more digits than its field shows. */
  get value() {
    if (this.words) return this.field.value;
    if (this.exact !== null) return this.exact;
    return this.field.value === '' ? NaN : Number(this.field.value);
  }

  set value(value) {
    this.exact = this.words ? null : Number.isFinite(value) ? value : NaN;
    this.field.value = this.words ? value : Number.isFinite(value) ? tidy(value) : '';
    this.follow();
  }

  get changed() {
    return this.words ? this.value !== this.start : !Object.is(this.value, Number.isFinite(this.start) ? this.start : NaN);
  }
}

/* ---- the workbench ---- */

const bench = {
  shown: {},

  /* What the loop says of a key: a number, or NaN. */
  number(section, key) {
    return parseFloat(this.core.text('key', this.at, section, key));
  },

  start(name) {
    return this.core.call('number', this.at, name);
  },

  around(value, factor) {
    return { scale: 'log', low: Math.abs(value) / factor, high: Math.abs(value) * factor, sign: value < 0 ? -1 : 1 };
  },

  lambdaRules() {
    const names = [];
    for (let i = 0, name; (name = this.core.text('lambda_rule', this.at, i)) !== null; i++) names.push(name);
    return names;
  },

  groups() {
    const data = document.getElementById('workbench').dataset;
    const kc = this.start('kc'), ti = this.start('ti'), scan = this.start('scan'), lambda = this.start('lambda');
    const slow = Number.isFinite(ti) ? ti : this.start('for') / 4, td = this.start('td');
    const rules = this.lambdaRules();
    const tf = td > 0 && Math.abs(this.start('tf') - td / 10) > 1e-12 * td ? this.start('tf') : NaN;
    return [
      ['Settings', [
        { key: 'kc', unit: data.kcUnit, start: kc, ...this.around(kc, 8) },
        { key: 'ti', unit: 's', start: ti, hint: 'none', ...this.around(slow, 8) },
        { key: 'td', unit: 's', start: td, scale: 'even', low: 0, high: Math.max(slow / 2, 2 * td) },
        { key: 'tf', unit: 's', start: tf, hint: 'td/10' },
        { key: 'sp-weight', label: 'sp weight', start: this.start('sp-weight'), scale: 'even', low: 0, high: 1 },
        { key: 'anti-windup', words: ['back-calculation', 'conditional', 'none'],
          start: this.core.text('key', this.at, 'settings', 'anti-windup') },
      ]],
      ['From brisk to calm', [
        { key: 'by', label: 'rule', words: rules, start: rules.includes('simc') ? 'simc' : rules[0] },
        { key: 'lambda', unit: 's', start: tidy(lambda), ...this.around(lambda, 8) },
      ].filter(() => rules.length > 0 && lambda > 0)],
      ['The PLC and the valve', [
        { key: 'scan', unit: 's', start: scan, ...this.around(scan, 30) },
        { key: 'delay-scans', label: 'delay', unit: 'scans', start: this.start('delay-scans'), scale: 'even', low: 0, high: 10 },
        { key: 'out-low', label: 'OUT from', unit: data.out, start: this.number('out', 'low'), hint: 'no limit' },
        { key: 'out-high', label: 'OUT to', unit: data.out, start: this.number('out', 'high'), hint: 'no limit' },
        { key: 'out-rate', label: 'OUT rate', unit: data.out + '/s', start: this.number('out', 'rate'), hint: 'no limit' },
      ]],
      ['The process is off from its model', [
        { key: 'gain', unit: '%', start: 0, scale: 'even', low: -60, high: 120 },
        { key: 'time', label: 'time const.', unit: '%', start: 0, scale: 'even', low: -60, high: 120 },
        { key: 'dead-time', label: 'dead time', unit: '%', start: 0, scale: 'even', low: -60, high: 120 },
      ]],
      ['What is done to the loop', [
        { key: 'shape', label: 'setpoint', words: ['step', 'ramp', 'train', 'sine'], start: 'step' },
        { key: 'sp-step', label: 'by', unit: data.pv, start: this.start('sp-step') },
        { key: 'sp-time', label: 'ramp/period', unit: 's', start: NaN },
        { key: 'load-step', label: 'load', unit: data.out, start: this.start('load-step') },
        { key: 'load-at', label: 'load at', unit: 's', start: this.start('load-at') },
        { key: 'for', label: 'for', unit: 's', start: this.start('for') },
      ]],
    ];
  },

  addControls() {
    const form = document.getElementById('controls');
    form.addEventListener('submit', (event) => event.preventDefault());
    this.set = {};
    for (const [title, list] of this.groups()) {
      if (list.length === 0) continue;
      const group = document.createElement('fieldset');
      group.append(Object.assign(document.createElement('legend'), { textContent: title }));
      for (const about of list) {
        const control = new Control(about, (moved) => this.moved(moved));
        this.set[about.key] = control;
        group.append(control.box);
      }
      form.append(group);
    }
  },

  /* ---- from the controls to the core ---- */

  /* What is set, as words of a case of trial; what is as the loop file has it is left out. */
  words() {
    const s = this.set, list = [];
    const add = (key, value) => { if (value === value) list.push(key + '=' + value); };
    if (['kc', 'ti', 'td', 'tf'].some((key) => s[key].changed)) {
      add('kc', s.kc.value);
      add('ti', s.ti.value);
      if (s.td.value > 0) {
        add('td', s.td.value);
        add('tf', s.tf.value);
      }
    }
    for (const key of ['sp-weight', 'anti-windup', 'scan', 'delay-scans', 'out-low', 'out-high', 'out-rate']) {
      if (s[key].changed) add(key, s[key].value);
    }
    return list.join(' ');
  },

  factors() {
    return ['gain', 'time', 'dead-time'].map((key) => 1 + this.set[key].value / 100);
  },

  say(words) {
    document.getElementById('said').textContent = words;
  },

  /* A control was moved: by a person, so that what it belongs to follows. */
  moved(control) {
    if (control.key === 'by' || control.key === 'lambda') this.takeRule(this.set.by.value, this.set.lambda.value);
    else if (['kc', 'ti', 'td', 'tf', 'sp-weight'].includes(control.key)) this.rule = null;
    if (['shape', 'sp-step', 'sp-time', 'load-step', 'load-at', 'for'].includes(control.key)) this.planMoved = true;
    this.refresh();
  },

  /* One drawing a frame, however many moves there were. */
  refresh() {
    if (this.due) return;
    this.due = true;
    requestAnimationFrame(() => {
      this.due = false;
      this.update();
    });
  },

  update() {
    const s = this.set;
    if (this.planMoved) {
      this.planMoved = false;
      const plan = ['sp-step', 'sp-time', 'load-step', 'load-at', 'for'].map((key) => s[key].value);
      if (this.core.call('plan', this.at, s.shape.value, ...plan) !== 0) {
        this.say(this.core.text('error', this.at));
        return;
      }
      this.stale = true;
    }
    if (this.core.call('try', this.at, this.words(), ...this.factors()) !== 0) {
      this.say(this.core.text('error', this.at) + ': the curves show what was set before');
      return;
    }
    this.say('');
    this.show();
  },

  /* ---- from the core to the page ---- */

  curve(i) {
    const c = this.core, of = (name) => c.call(name, this.at, i);
    return {
      name: c.text('name', this.at, i), scan: of('scan'), step: of('step'), outStart: of('out_start'),
      sp: c.numbers(of('sp'), of('scans')), out: c.numbers(of('out'), of('scans')), pv: c.numbers(of('pv'), of('points')),
    };
  },

  drawCurve(i) {
    const one = this.curve(i), unit = this.unit;
    this.pv.set(i + 1, i, one.name, { points: thinned(one.pv, one.step / unit, this.pv.pixels()), stepped: false });
    this.out.set(i, i, one.name, held(one.out, one.scan / unit, one.outStart, this.out.pixels()));
    if (i === 0) {
      this.pv.set(0, -1, 'setpoint', held(one.sp, one.scan / unit, one.pv[0], this.pv.pixels()));
      this.end = one.pv.length * one.step / unit;
    }
  },

  /* In the frame of a move the curves and the verdict; what takes longer to read follows in the next. */
  show() {
    const curves = this.core.call('curves', this.at);
    for (let i = 0; i < (this.stale ? curves : 1); i++) this.drawCurve(i);
    this.stale = false;
    this.pv.draw(curves + 1, this.end);
    this.out.draw(curves, this.end);
    this.put('tried-verdict', 'verdict');
    if (!this.more) {
      this.more = true;
      requestAnimationFrame(() => setTimeout(() => {
        this.more = false;
        this.showMore();
      }));
    }
  },

  showMore() {
    this.put('tried-requirements', 'requirements');
    this.put('tried-bar', 'gain_bar');
    this.put('tried-table', 'table');
    this.showLines();
  },

  /* A piece of the page that the core writes, where it is another one than stands there. */
  put(id, name) {
    const html = this.core.text(name, this.at);
    if (this.shown[id] === html) return;
    this.shown[id] = html;
    document.getElementById(id).innerHTML = html;
  },

  /* The command lines; what cannot be typed there is said. */
  showLines() {
    const s = this.set, data = document.getElementById('workbench').dataset;
    const by = this.rule === null ? this.core.text('options', this.at)
      : '--rule=' + this.rule.name + (Number.isNaN(this.rule.lambda) ? '' : ' --lambda=' + this.rule.lambda + 's')
        + (s['anti-windup'].changed ? ' --anti-windup=' + s['anti-windup'].value : '');
    document.getElementById('tune-line').textContent = 'redkettle tune ' + data.file + ' ' + by + ' --save';
    document.getElementById('block').textContent = this.core.text('block', this.at).trim();
    if (s.time.value !== 0 && !Number.isNaN(this.number('process', 'gain'))) {
      document.getElementById('trial-line').textContent = 'lags that are off cannot be typed: set that slider back to 0';
      return;
    }
    document.getElementById('trial-line').textContent = 'redkettle trial ' + data.file + this.planOptions()
      + ' --case "tried: ' + [this.words() || (s.kc.value === s.kc.value ? 'kc=' + s.kc.value + (s.ti.value > 0 ? ' ti=' + s.ti.value : '') : ''),
        this.wrongWords()].filter((part) => part !== '').join(' ') + '"';
  },

  planOptions() {
    const s = this.set, shape = s.shape.value;
    const option = (name, value) => (Number.isFinite(value) ? ' --' + name + '=' + value : '');
    return option('sp-step', s['sp-step'].value) + (shape === 'step' ? '' : option('sp-' + shape, s['sp-time'].value))
      + option('load-step', s['load-step'].value) + option('load-at', s['load-at'].value) + option('for', s.for.value);
  },

  /* The process as it is taken to be, where a model's three numbers say it. */
  wrongWords() {
    const [gain, time, dead] = this.factors();
    const from = Number.isNaN(this.number('process', 'gain')) ? 'model' : 'process';
    const times = this.core.text('key', this.at, from, 'time-constant').split(',').map((t) => parseFloat(t) * time);
    if (gain === 1 && time === 1 && dead === 1) return '';
    return ['gain=' + this.number(from, 'gain') * gain]
      .concat(Number.isNaN(times[0]) ? [] : ['time-constant=' + times.join(',')])
      .concat(['dead-time=' + this.number(from, 'dead-time') * dead]).join(' ');
  },

  /* ---- rules, and curves that are kept ---- */

  takeRule(name, lambda) {
    const words = this.core.text('settings_by', this.at, name, lambda);
    if (words === '') {
      this.say(this.core.text('error', this.at));
      return;
    }
    const given = Object.fromEntries(words.split(' ').map((word) => word.split('=')));
    for (const key of ['kc', 'ti', 'td', 'tf', 'sp-weight']) {
      this.set[key].value = given[key] === undefined ? (key === 'td' ? 0 : NaN) : parseFloat(given[key]);
    }
    if (Math.abs(this.set.tf.value - this.set.td.value / 10) <= 1e-12 * this.set.td.value) this.set.tf.value = NaN;
    this.rule = { name, lambda };
  },

  back() {
    for (const key of Object.keys(this.set)) this.set[key].value = this.set[key].start;
    this.rule = null;
    this.planMoved = true;
    this.refresh();
  },

  keep() {
    const field = document.getElementById('keep-name');
    const name = field.value.trim() || 'curve ' + this.core.call('curves', this.at);
    if (this.core.call('keep', this.at, name) !== 0) {
      this.say(this.core.text('error', this.at));
      return;
    }
    field.value = 'curve ' + this.core.call('curves', this.at);
    this.listKept();
  },

  drop(i) {
    this.core.call('drop', this.at, i);
    this.listKept();
  },

  listKept() {
    const list = document.getElementById('kept');
    list.replaceChildren();
    for (let i = 1; i < this.core.call('curves', this.at); i++) {
      const button = document.createElement('button');
      button.type = 'button';
      button.textContent = 'Remove "' + this.core.text('name', this.at, i) + '"';
      button.addEventListener('click', () => this.drop(i));
      list.append(button, ' ');
    }
    this.stale = true;
    this.refresh();
  },

  addButtons() {
    const rules = document.getElementById('rule');
    for (let i = 0, name; (name = this.core.text('rule', this.at, i)) !== null; i++) rules.add(new Option(name, name));
    const on = (id, act) => document.getElementById(id).addEventListener('click', act);
    on('keep', () => this.keep());
    on('back', () => this.back());
    const take = () => { this.takeRule(rules.value, NaN); this.refresh(); };
    on('take-rule', take);
    rules.addEventListener('change', take);
    document.getElementById('keep-name').addEventListener('keydown', (event) => {
      if (event.key === 'Enter') this.keep();
    });
  },

  /* ---- colours and paper ---- */

  theme(name) {
    for (const plot of [this.pv, this.out]) plot.colours(name);
    this.pv.chart.update('none');
    this.out.chart.update('none');
  },

  followTheme() {
    const dark = matchMedia('(prefers-color-scheme: dark)');
    const now = () => this.theme(dark.matches ? 'dark' : 'light');
    dark.addEventListener('change', now);
    addEventListener('beforeprint', () => {
      this.theme('light');
      this.pv.chart.resize(680, 250);
      this.out.chart.resize(680, 150);
    });
    addEventListener('afterprint', () => {
      this.pv.chart.resize();
      this.out.chart.resize();
      now();
    });
    now();
  },

  async open() {
    const section = document.getElementById('workbench');
    this.core = await Core.open(document.getElementById('core').textContent);
    const minutes = section.dataset.minutes === 'yes';
    this.at = this.core.call('create', document.getElementById('loop-text').textContent, minutes ? 1 : 0);
    this.rule = null;
    const wrong = this.at === 0 ? 'no memory for the workbench' : this.core.text('error', this.at);
    if (wrong !== '') throw new Error(wrong);
    Chart.defaults.font.family = getComputedStyle(document.body).fontFamily;
    Chart.defaults.font.size = 13;
    this.unit = minutes ? 60 : 1;
    this.pv = new Plot(document.getElementById('plot-pv'), 'PV, ' + section.dataset.pv, true, minutes);
    this.out = new Plot(document.getElementById('plot-out'), 'OUT, ' + section.dataset.out, false, minutes);
    this.addControls();
    this.addButtons();
    this.stale = true;
    this.update();
    this.showMore();
    this.followTheme();
    section.dataset.state = 'open';
  },
};

bench.open().catch((error) => {
  document.getElementById('said').textContent = 'The workbench does not open here: ' + error.message
    + '. A browser not older than two years opens it.';
  document.getElementById('workbench').dataset.state = 'failed';
});
