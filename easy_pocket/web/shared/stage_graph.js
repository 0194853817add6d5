// The Stage as a graph: sounds go in by place, through chains, to groups, rooms, echo and the whole. Built from the plan
// Python gives; another plan is taken while it sounds: numbers glide, another chain fades in over the one before.

import { CEILING } from "./stage_constants.js";
import { Follower } from "./stage_follower.js";
import { echo, glide, shapeOf, stereoGain, unitNode, worklet } from "./stage_units.js";

const FADE_S = 0.012;
/** @type {import("./shapes").StagePlan} */
const PLAIN = { ceiling_db: CEILING.default_db, places: {}, returns: {} };

export class StageGraph {
  /**
   * @param {BaseAudioContext} context
   * @param {AudioNode} out where the whole goes
   * @param {(key: string) => Promise<AudioBuffer | undefined> | AudioBuffer} room the impulse response of a key
   */
  constructor(context, out, room) {
    this.context = context;
    this.out = out;
    this.room = room;
    this.plan = PLAIN;
    /** @type {Map<string, GainNode>} */
    this.inputs = new Map(); // of places: what sounds goes in there
    /** @type {Map<string, any>} */
    this.chains = new Map();
    this.follower = new Follower();
    /** @type {((ceiling_db: number) => void) | null} */
    this.setCeiling = null;
  }

  /**
   * Where the sound of a place goes in.
   * @param {string} where
   * @returns {GainNode}
   */
  input(where) {
    let node = this.inputs.get(where);
    if (!node) {
      node = stereoGain(this.context);
      this.inputs.set(where, node);
      this.build(where);
    }
    return node;
  }

  /** @param {string} where */
  planOf(where) {
    const known = this.plan.places[where] ?? this.plan.returns[where]?.place;
    return known ?? { to: this.destination(where), units: [], sends: {}, send_points: {} };
  }

  // Of a place the plan does not name: a voice goes to its part where that has a chain, all else to the whole.
  /** @param {string} where */
  destination(where) {
    if (where === "whole") return "";
    const part = /^(part:\d+):/.exec(where)?.[1];
    return part && this.plan.places[part] ? part : "whole";
  }

  /** @param {import("./shapes").StagePlan} plan */
  apply(plan) {
    const before = this.plan;
    this.plan = plan;
    const names = new Set([...this.inputs.keys(), ...Object.keys(plan.places), ...Object.keys(plan.returns)]);
    for (const where of names) {
      const chain = this.chains.get(where);
      if (!chain) {
        if (where in plan.places || where in plan.returns) this.input(where);
        continue;
      }
      const next = this.planOf(where);
      const back = plan.returns[where];
      if (JSON.stringify([chain.plan, chain.back]) === JSON.stringify([next, back])) continue;
      if (chain.shape === chainShape(next, back)) this.move(chain, next, back);
      else this.build(where);
    }
    if (before.ceiling_db !== plan.ceiling_db) this.setCeiling?.(plan.ceiling_db);
  }

  /**
   * A chain takes other numbers.
   * @param {any} chain
   * @param {import("./shapes").PlacePlan} plan
   * @param {import("./shapes").ReturnPlan | undefined} back
   */
  move(chain, plan, back) {
    plan.units.forEach((unit, at) => {
      chain.units[at].take(unit);
      this.follower.change(chain.units[at], unit);
    });
    for (const [name, gain] of Object.entries(plan.sends)) if (!plan.send_points[name]) glide(this.context, chain.sends[name].gain, gain);
    this.follower.change(chain.moving, sendsOf(plan));
    if (back) {
      glide(this.context, chain.level.gain, back.gain);
      if (back.unit) {
        chain.own.take(back.unit);
        this.follower.change(chain.own, back.unit);
      }
    }
    Object.assign(chain, { plan, back });
  }

  /**
   * The chain of a place, faded in over the one it had.
   * @param {string} where
   */
  build(where) {
    const { context } = this;
    const input = /** @type {GainNode} */ (this.inputs.get(where));
    const plan = this.planOf(where);
    const back = this.plan.returns[where];
    const old = this.chains.get(where);
    const enters = stereoGain(context);
    const leaves = stereoGain(context, old ? 0 : 1);
    let from = /** @type {AudioNode} */ (enters);
    /** @type {any} */
    const chain = { plan, back, shape: chainShape(plan, back), enters, leaves, sends: {}, units: [] };
    if (back) from = this.returned(chain, back, from);
    chain.units = plan.units.map((unit) => {
      const made = unitNode(context, unit);
      from.connect(made.input);
      from = made.output;
      if (made.side && unit.side) this.input(unit.side).connect(made.side);
      this.follower.add(made, unit);
      return made;
    });
    from.connect(leaves);
    for (const [name, gain] of Object.entries(plan.sends)) {
      chain.sends[name] = stereoGain(context, gain);
      leaves.connect(chain.sends[name]).connect(this.input(name));
    }
    chain.moving = { follows: Object.keys(plan.send_points).map((name) => ({ param: chain.sends[name].gain, points: name })) };
    this.follower.add(chain.moving, sendsOf(plan));
    input.connect(enters);
    leaves.connect(plan.to ? this.input(plan.to) : this.out);
    this.chains.set(where, chain);
    if (old) this.replace(old, chain, input);
  }

  /**
   * What a room or the echo makes of what comes in.
   * @param {any} chain
   * @param {import("./shapes").ReturnPlan} back
   * @param {AudioNode} from
   */
  returned(chain, back, from) {
    const { context } = this;
    chain.level = stereoGain(context, back.gain);
    if (back.unit) {
      chain.own = echo(context, back.unit, true);
      from.connect(chain.own.input);
      chain.own.output.connect(chain.level);
      this.follower.add(chain.own, back.unit);
      return chain.level;
    }
    const node = new ConvolverNode(context, { disableNormalization: true });
    const buffer = this.room(back.room);
    if (buffer instanceof AudioBuffer) node.buffer = buffer;
    else buffer?.then((found) => found && (node.buffer = found));
    // A response of two channels: left with left, right with right.
    node.channelCount = 2;
    node.channelCountMode = "explicit";
    from.connect(node).connect(chain.level);
    return chain.level;
  }

  /**
   * @param {any} old
   * @param {any} chain
   * @param {AudioNode} input
   */
  replace(old, chain, input) {
    const at = this.context.currentTime;
    for (const [{ leaves }, value] of [[old, 0], [chain, 1]]) {
      leaves.gain.setValueAtTime(leaves.gain.value, at);
      leaves.gain.linearRampToValueAtTime(value, at + FADE_S);
    }
    for (const unit of [...old.units, old.own, old.moving].filter(Boolean)) this.follower.remove(unit);
    const done = () => {
      input.disconnect(old.enters);
      old.leaves.disconnect();
    };
    if (this.context.state === "running") setTimeout(done, 60);
    else done();
  }

  /** The reduction of a compressor just now, in dB, by place and number. */
  get reductions() {
    return [...this.chains].flatMap(([where, { units }]) => units.flatMap((/** @type {any} */ unit, /** @type {number} */ at) => (unit.taken ? [{ where, at, db: unit.taken() }] : [])));
  }
}

/**
 * @param {import("./shapes").PlacePlan} plan
 * @param {import("./shapes").ReturnPlan | undefined} back
 */
const chainShape = (plan, back) => JSON.stringify([plan.to, plan.units.map(shapeOf), Object.keys(plan.sends), Object.keys(plan.send_points), back && [back.room, back.unit && shapeOf(back.unit)]]);

/**
 * What goes to rooms and echo, as points to follow.
 * @param {import("./shapes").PlacePlan} plan
 * @returns {any}
 */
const sendsOf = ({ send_points }) => ({ points: send_points, delays: [] });

/**
 * The ceiling over the whole: what goes in, and what comes out 1.7 ms later.
 * @param {BaseAudioContext} context
 * @param {number} ceiling_db
 */
export function ceilingNode(context, ceiling_db = CEILING.default_db) {
  const { between, ahead, half, keep } = CEILING;
  return worklet(context, "stage-ceiling", { ceiling: 10 ** (ceiling_db / 20), between, ahead, half, keep });
}

/**
 * The plan with a chain left out, or all of them.
 * @param {import("./shapes").StagePlan} plan
 * @param {string} what a place, or "all"
 * @returns {import("./shapes").StagePlan}
 */
export function planWithout(plan, what) {
  if (what === "all") return { ...PLAIN, ceiling_db: plan.ceiling_db };
  const bare = (/** @type {import("./shapes").PlacePlan} */ place) => ({ ...place, units: [], sends: {}, send_points: {} });
  if (plan.returns[what]) return { ...plan, returns: { ...plan.returns, [what]: { ...plan.returns[what], place: bare(plan.returns[what].place) } } };
  return plan.places[what] ? { ...plan, places: { ...plan.places, [what]: bare(plan.places[what]) } } : plan;
}

/**
 * The plan with one more unit at the end of a chain.
 * @param {import("./shapes").StagePlan} plan
 * @param {{ where: string, unit: import("./shapes").UnitPlan }} trial
 * @returns {import("./shapes").StagePlan}
 */
export function planWith(plan, { where, unit }) {
  const part = /^(part:\d+):/.exec(where)?.[1] ?? "";
  const place = plan.places[where] ?? { to: plan.places[part] ? part : "whole", units: [], sends: {}, send_points: {} };
  return { ...plan, places: { ...plan.places, [where]: { ...place, units: [...place.units, unit] } } };
}

/**
 * The plan with another unit in the place of one.
 * @param {import("./shapes").StagePlan} plan
 * @param {{ where: string, at: number, unit: import("./shapes").UnitPlan }} changed
 * @returns {import("./shapes").StagePlan}
 */
export function planWithUnit(plan, { where, at, unit }) {
  const back = plan.returns[where];
  const place = back?.place ?? plan.places[where];
  if (place?.units[at]?.kind !== unit.kind) return plan;
  const changed = { ...place, units: place.units.map((one, number) => (number === at ? { ...unit, points: one.points } : one)) };
  if (back) return { ...plan, returns: { ...plan.returns, [where]: { ...back, place: changed } } };
  return { ...plan, places: { ...plan.places, [where]: changed } };
}
