// What the browser has no exactly defined node for: compressor, drive and ceiling. Each is the twin of a function in
// easy_pocket/core/stage (compressor.py, drive.py, limiter.py) and computes the same numbers sample by sample.

const FLOOR = 1e-6;
const SETTLED_DB = 1e-7;

// Everything is in two channels; one that came alone is heard on both sides.
/** @param {Float32Array[]} input */
function sides(input) {
  const left = input[0];
  return left ? [left, input[1] ?? left] : null;
}

/** @param {Float32Array} channel */
function still(channel) {
  for (let at = 0; at < channel.length; at += 1) if (channel[at] !== 0) return false;
  return true;
}

/**
 * Both sides sound the same: one is computed.
 * @param {Float32Array[]} sound
 */
function same([left, right]) {
  if (left === right) return true;
  for (let at = 0; at < left.length; at += 1) if (left[at] !== right[at]) return false;
  return true;
}

/** @param {Float32Array[] | null} sound */
const silent = (sound) => !sound || (still(sound[0]) && still(sound[1]));
const PER_DB = Math.LN10 / 20;

class Compressor extends AudioWorkletProcessor {
  /** @param {any} options */
  constructor(options) {
    super();
    this.numbers = options.processorOptions.numbers;
    this.peak = 0;
    this.taken = 0;
    this.most = 0; // dB taken since the page was told
    this.told = 0;
    this.port.onmessage = ({ data }) => (this.numbers = data);
  }

  /**
   * What is taken of a sample of a size, in dB.
   * @param {number} size
   */
  wanted(size) {
    const { threshold_db, ratio, knee_db } = this.numbers;
    const over = Math.log(size > FLOOR ? size : FLOOR) / PER_DB - threshold_db;
    const slope = 1 - 1 / ratio;
    if (knee_db < 0.01) return over > 0 ? slope * over : 0;
    if (over <= -knee_db / 2) return 0;
    if (over >= knee_db / 2) return slope * over;
    return (slope * (over + knee_db / 2) ** 2) / (2 * knee_db);
  }

  /**
   * @param {Float32Array[][]} inputs what is compressed, and what it listens to if that is something else
   * @param {Float32Array[][]} outputs
   */
  process(inputs, outputs) {
    const sound = sides(inputs[0]);
    const side = this.numbers.fed ? sides(inputs[1]) : sound;
    const [left, right] = outputs[0];
    this.tell(left.length);
    if (silent(sound) && silent(side) && this.taken < SETTLED_DB && this.peak < SETTLED_DB) {
      this.taken = this.peak = 0;
      return true; // what goes out is still
    }
    const { attack, release, wet, lift } = this.numbers;
    const dry = 1 - wet;
    const full = wet * lift;
    // Softer than this nothing is asked of it, and there is no level to work out.
    const soft = Math.exp((this.numbers.threshold_db - Math.max(this.numbers.knee_db, 0) / 2) * PER_DB) * 0.999;
    for (let at = 0; at < left.length; at += 1) {
      const size = side ? Math.max(Math.abs(side[0][at]), Math.abs(side[1][at])) : 0;
      const wanted = size < soft ? 0 : this.wanted(size);
      const falls = release * this.peak + (1 - release) * wanted;
      this.peak = wanted > falls ? wanted : falls;
      this.taken = attack * this.taken + (1 - attack) * this.peak;
      const gain = dry + full * (this.taken < SETTLED_DB ? 1 : Math.exp(-this.taken * PER_DB));
      left[at] = sound ? sound[0][at] * gain : 0;
      right[at] = sound ? sound[1][at] * gain : 0;
      if (this.taken > this.most) this.most = this.taken;
    }
    return true;
  }

  /** @param {number} frames */
  tell(frames) {
    this.told += frames;
    if (this.told < 2048) return;
    this.port.postMessage(this.most);
    this.told = 0;
    this.most = 0;
  }
}

const TIMES = 4;
const FLAT = 0.7; // of a step

class Drive extends AudioWorkletProcessor {
  /** @param {any} options */
  constructor(options) {
    super();
    const { numbers, character, taps } = options.processorOptions;
    this.numbers = numbers;
    this.character = character;
    this.taps = Float64Array.from(taps);
    this.reach = taps.length / TIMES;
    // The taps between samples, by their phase: each is one run over what came in.
    this.phases = [0, 1, 2, 3].map((phase) => Float64Array.from(taps.filter((/** @type {number} */ _tap, /** @type {number} */ number) => number % TIMES === phase), (tap) => TIMES * tap));
    // Newest first from `at` on; every value is there twice, so a run never goes round.
    this.before = [0, 1].map(() => new Float64Array(2 * this.reach));
    this.long = taps.length + TIMES;
    this.over = [0, 1].map(() => new Float64Array(2 * this.long));
    this.at = 0;
    this.overAt = 0;
    this.quiet = 0; // samples since something came in
    this.alike = 0; // samples since the sides were not the same
    this.gain = numbers.after;
    this.into = numbers.into;
    this.port.onmessage = ({ data }) => (this.numbers = data);
  }

  /** @param {number} x */
  bent(x) {
    switch (this.character) {
      case "round":
        return Math.tanh(x * this.into);
      case "lean":
        return Math.tanh(x * this.into + 0.3) - Math.tanh(0.3);
      case "fold":
        return Math.sin(x * this.into);
      default: {
        const { steps } = this.numbers;
        const place = Math.max(-1, Math.min(1, x)) * steps;
        const step = Math.floor(place + 0.5);
        const beside = place - step;
        return (step + (Math.sign(beside) * Math.max(Math.abs(beside) - FLAT / 2, 0)) / (1 - FLAT)) / steps;
      }
    }
  }

  /**
   * @param {Float32Array[][]} inputs
   * @param {Float32Array[][]} outputs
   */
  process(inputs, outputs) {
    const sound = sides(inputs[0]);
    const output = outputs[0];
    const frames = output[0].length;
    this.quiet = silent(sound) ? this.quiet + frames : 0;
    if (this.quiet > 2 * this.long) {
      this.into = this.numbers.into;
      this.gain = this.numbers.after;
      return true; // nothing is left in the lines: what goes out is still
    }
    const alike = !sound || same(sound);
    const once = alike && this.alike > 2 * this.long; // the lines hold the same, too
    if (!once && this.alike > 2 * this.long) this.before[1].set(this.before[0]), this.over[1].set(this.over[0]);
    this.alike = alike ? this.alike + frames : 0;
    const sidesDone = once ? 1 : 2;
    for (let now = 0; now < frames; now += 1) {
      // Moved settings glide over some ms: no click.
      this.into += (this.numbers.into - this.into) * 0.01;
      this.gain += (this.numbers.after - this.gain) * 0.01;
      this.at = (this.at || this.reach) - 1;
      this.overAt = (this.overAt || this.long) - TIMES;
      for (let side = 0; side < sidesDone; side += 1) output[side][now] = this.gain * this.next(side, sound ? sound[side][now] : 0);
    }
    if (once) output[1].set(output[0]);
    return true;
  }

  /**
   * The next sample of a side.
   * @param {number} side
   * @param {number} value
   */
  next(side, value) {
    const { taps, reach, long, phases, at, overAt } = this;
    const before = this.before[side];
    const over = this.over[side];
    before[at] = before[at + reach] = value;
    for (let phase = 0; phase < TIMES; phase += 1) {
      const run = phases[phase];
      let sum = 0;
      for (let tap = 0; tap < reach; tap += 1) sum += run[tap] * before[at + tap];
      const place = overAt + TIMES - 1 - phase;
      over[place] = over[place + long] = this.bent(sum);
    }
    // Of the four new values the first is the one that falls on this sample; those after it belong to later ones.
    const from = overAt + TIMES - 1;
    let sum = 0;
    for (let tap = 0; tap < taps.length; tap += 1) sum += taps[tap] * over[from + tap];
    return sum;
  }
}

class Ceiling extends AudioWorkletProcessor {
  /** @param {any} options */
  constructor(options) {
    super();
    const { ceiling, between, ahead, half, keep } = options.processorOptions;
    Object.assign(this, { ceiling, ahead, half, keep });
    this.between = between.map((/** @type {number[]} */ taps) => Float64Array.from(taps));
    this.mostBetween = Math.max(...between.map((/** @type {number[]} */ taps) => taps.reduce((sum, tap) => sum + Math.abs(tap), 0)));
    this.loud = -Infinity;
    this.latency = ahead + half;
    this.size = 256; // more than what is looked at, a power of two
    this.lines = [0, 1].map(() => new Float64Array(this.size));
    this.largest = { at: new Int32Array(this.size), value: new Float64Array(this.size), first: 0, last: 0 };
    this.followed = new Float64Array(ahead);
    this.sum = 0;
    this.peak = 0;
    this.now = 0;
    this.least = 1;
    this.told = 0;
    this.port.onmessage = ({ data }) => (this.ceiling = data);
  }

  // The largest size at a sample and up to the next one.
  /** @param {number} at */
  truePeak(at) {
    const mask = this.size - 1;
    let peak = 0;
    for (const line of this.lines) {
      peak = Math.max(peak, Math.abs(line[at & mask]));
      for (const taps of this.between) {
        let sum = 0;
        for (let tap = 0; tap < taps.length; tap += 1) sum += taps[tap] * line[(at - this.half + 1 + tap) & mask];
        peak = Math.max(peak, Math.abs(sum));
      }
    }
    return peak;
  }

  // The largest of the last `ahead` + 1 values, this one among them.
  /**
   * @param {number} at
   * @param {number} value
   */
  largestWith(at, value) {
    const queue = this.largest;
    const mask = this.size - 1;
    while (queue.last > queue.first && queue.value[(queue.last - 1) & mask] <= value) queue.last -= 1;
    queue.at[queue.last & mask] = at;
    queue.value[queue.last & mask] = value;
    queue.last += 1;
    while (queue.at[queue.first & mask] < at - this.ahead) queue.first += 1;
    return queue.value[queue.first & mask];
  }

  /**
   * @param {Float32Array[][]} inputs
   * @param {Float32Array[][]} outputs
   */
  process(inputs, outputs) {
    const sound = sides(inputs[0]);
    const [left, right] = outputs[0];
    const mask = this.size - 1;
    for (let at = 0; at < left.length; at += 1) {
      this.lines[0][this.now & mask] = sound ? sound[0][at] : 0;
      this.lines[1][this.now & mask] = sound ? sound[1][at] : 0;
      const seen = this.now - this.half;
      // Between samples a value is at most so much larger than they: what is soft all round needs no look.
      if (sound && Math.max(Math.abs(sound[0][at]), Math.abs(sound[1][at])) * this.mostBetween > this.ceiling) this.loud = this.now;
      const over = this.now - this.loud > 2 * this.half ? 0 : 1 - Math.min(1, this.ceiling / Math.max(this.truePeak(seen), 1e-9));
      this.peak = Math.max(this.largestWith(seen, over), this.keep * this.peak);
      const place = this.now % this.ahead;
      this.sum += this.peak - this.followed[place];
      this.followed[place] = this.peak;
      const gain = 1 - Math.max(0, this.sum) / this.ahead;
      const out = (this.now - this.latency) & mask;
      left[at] = this.lines[0][out] * gain;
      right[at] = this.lines[1][out] * gain;
      if (gain < this.least) this.least = gain;
      this.now += 1;
    }
    this.tell(left.length);
    return true;
  }

  /** @param {number} frames */
  tell(frames) {
    this.told += frames;
    if (this.told < 2048) return;
    this.port.postMessage(this.least);
    this.told = 0;
    this.least = 1;
  }
}

const LONGEST_S = 8;

class Echo extends AudioWorkletProcessor {
  static parameterDescriptors = [{ name: "delay", defaultValue: 0.5, minValue: 0, maxValue: LONGEST_S, automationRate: "a-rate" }];

  /** @param {any} options */
  constructor(options) {
    super();
    const { numbers, filters } = options.processorOptions;
    this.size = 2 ** Math.ceil(Math.log2(LONGEST_S * sampleRate + 1));
    this.lines = [0, 1].map(() => new Float64Array(this.size));
    this.state = [0, 1].map(() => filters.map(() => [0, 0]));
    this.now = 0;
    this.goal = numbers;
    this.again = numbers.again;
    this.cross = numbers.cross;
    this.filters = filters;
    this.port.onmessage = ({ data }) => {
      this.goal = data.numbers;
      this.filters = data.filters;
    };
  }

  /**
   * @param {number} x
   * @param {number[][]} state of one side
   */
  filtered(x, state) {
    let y = x;
    for (let at = 0; at < this.filters.length; at += 1) {
      const { b, a } = this.filters[at];
      const own = state[at];
      const before = y;
      y = b[0] * before + own[0];
      own[0] = b[1] * before - a[1] * y + own[1];
      own[1] = b[2] * before - a[2] * y;
    }
    return y;
  }

  /**
   * @param {Float32Array[][]} inputs
   * @param {Float32Array[][]} outputs
   * @param {Record<string, Float32Array>} parameters
   */
  process(inputs, outputs, parameters) {
    const sound = sides(inputs[0]);
    const [left, right] = outputs[0];
    const [one, other] = this.lines;
    const { delay } = parameters;
    const mask = this.size - 1;
    for (let at = 0; at < left.length; at += 1) {
      this.again += (this.goal.again - this.again) * 0.01;
      this.cross += (this.goal.cross - this.cross) * 0.01;
      const { again, cross } = this;
      const frames = Math.round((delay.length > 1 ? delay[at] : delay[0]) * sampleRate);
      const from = (this.now - frames) & mask;
      const heard = this.filtered(one[from], this.state[0]);
      const beside = this.filtered(other[from], this.state[1]);
      const [x, y] = sound ? [sound[0][at], sound[1][at]] : [0, 0];
      const to = this.now & mask;
      one[to] = x + cross * y + again * ((1 - cross) * heard + cross * beside);
      other[to] = (1 - cross) * y + again * ((1 - cross) * beside + cross * heard);
      left[at] = heard;
      right[at] = beside;
      this.now = (this.now + 1) & mask;
    }
    return true;
  }
}

registerProcessor("stage-echo", Echo);
registerProcessor("stage-compressor", Compressor);
registerProcessor("stage-drive", Drive);
registerProcessor("stage-ceiling", Ceiling);
