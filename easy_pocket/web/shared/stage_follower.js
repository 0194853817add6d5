// Parameters that move along the music: ducks, gates, sways, and the delay of an echo through changes of tempo. The
// points come from Python, times from the beginning of a pass; they are planned as far ahead as hits are.

export class Follower {
  constructor() {
    /** @type {Map<any, any>} */
    this.followed = new Map(); // by unit: its params with their points
  }

  /**
   * @param {import("./stage_units.js").UnitNode} unit
   * @param {import("./shapes").UnitPlan} plan
   */
  add(unit, plan) {
    if (unit.follows.length) this.followed.set(unit, unit.follows.map(({ param, points }) => ({ param, points, ...pointsOf(plan, points), reached: -Infinity })));
  }

  /**
   * Other points for the same params.
   * @param {import("./stage_units.js").UnitNode} unit
   * @param {import("./shapes").UnitPlan} plan
   */
  change(unit, plan) {
    for (const one of this.followed.get(unit) ?? []) {
      const next = pointsOf(plan, one.points);
      if (JSON.stringify([one.times_s, one.values]) !== JSON.stringify([next.times_s, next.values])) Object.assign(one, next, { reached: -Infinity });
    }
  }

  /** @param {import("./stage_units.js").UnitNode} unit */
  remove(unit) {
    this.followed.delete(unit);
  }

  // What is planned holds no more: the place in the music is another one.
  forget() {
    for (const params of this.followed.values()) for (const one of params) one.reached = -Infinity;
  }

  /**
   * Plan what moves from a time on: `start` is when the pass began (as if from its first moment), `end` when it ends.
   * @param {number} start
   * @param {number} begins when this pass is first heard
   * @param {number} end
   * @param {number} from
   * @param {number} until
   */
  plan(start, begins, end, from, until) {
    for (const params of this.followed.values()) {
      for (const one of params) this.planOne(one, start, begins, end, from, until);
    }
  }

  /**
   * @param {any} one
   * @param {number} start
   * @param {number} begins
   * @param {number} end
   * @param {number} from
   * @param {number} until
   */
  planOne(one, start, begins, end, from, until) {
    const { param, times_s, values, steps } = one;
    if (one.reached === -Infinity) {
      param.cancelScheduledValues(from);
      param.setValueAtTime(valueAt(one, from - start), from);
      one.reached = from;
    } else if (one.pass !== start) {
      param.setValueAtTime(valueAt(one, begins - start), begins);
      one.reached = begins;
    }
    one.pass = start;
    for (let at = firstAfter(times_s, one.reached - start); at < times_s.length; at += 1) {
      const when = start + times_s[at];
      if (one.reached >= until || one.reached >= end) break;
      if (when > end) {
        if (!steps) param.linearRampToValueAtTime(valueAt(one, end - start), end);
        one.reached = end;
        break;
      }
      if (steps) param.setValueAtTime(values[at], when);
      else param.linearRampToValueAtTime(values[at], when);
      one.reached = when;
    }
    if (one.reached < end && until >= end) one.reached = end;
  }
}

/**
 * @param {import("./shapes").UnitPlan} plan
 * @param {string} name
 */
function pointsOf(plan, name) {
  if (name === "delay") return { times_s: plan.delays.map(([at]) => at), values: plan.delays.map(([, delay]) => delay), steps: true };
  return { ...(plan.points[name] ?? { times_s: [0], values: [1] }), steps: false };
}

/**
 * @param {number[]} times
 * @param {number} at
 */
function firstAfter(times, at) {
  let [low, high] = [0, times.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (times[middle] <= at + 1e-9) low = middle + 1;
    else high = middle;
  }
  return low;
}

/**
 * @param {any} one
 * @param {number} at
 */
function valueAt({ times_s, values, steps }, at) {
  const next = firstAfter(times_s, at);
  if (next === 0) return values[0];
  if (next === times_s.length || steps) return values[next - 1];
  const share = (at - times_s[next - 1]) / (times_s[next] - times_s[next - 1]);
  return values[next - 1] + share * (values[next] - values[next - 1]);
}
