// The units of a chain as nodes: each takes a plan (core/stage/graph_plan.py), and another one while it sounds.

import { DRIVE_TAPS } from "./stage_constants.js";

/**
 * @typedef {object} UnitNode
 * @property {AudioNode} input
 * @property {AudioNode} output
 * @property {(plan: import("./shapes").UnitPlan) => void} take other numbers, heard without a step
 * @property {{ param: AudioParam, points: string }[]} follows what moves along the music
 * @property {AudioNode | null} side where the sound it listens to goes in
 * @property {(() => number) | null} taken how much it takes just now, in dB
 */

const GLIDE_S = 0.003; // to 63 % of a change

/**
 * To a value without a step, or at once where nothing plays yet.
 * @param {BaseAudioContext} context
 * @param {AudioParam} param
 * @param {number} value
 */
export function glide(context, param, value) {
  if (context.state === "running") param.setTargetAtTime(value, context.currentTime, GLIDE_S);
  else param.value = value;
}

/** @param {import("./shapes").FilterPlan} plan */
const filterKind = ({ type }) => /** @type {BiquadFilterType} */ (type);

/**
 * @param {BaseAudioContext} context
 * @param {import("./shapes").FilterPlan} plan
 */
function filterNode(context, plan) {
  if (plan.type === "iir") return context.createIIRFilter(plan.b, plan.a);
  const node = context.createBiquadFilter();
  node.type = filterKind(plan);
  node.frequency.value = plan.hz;
  node.Q.value = plan.quality;
  node.gain.value = plan.gain_db;
  return node;
}

/**
 * @param {BaseAudioContext} context
 * @param {import("./shapes").FilterPlan[]} plans
 */
function filterRow(context, plans) {
  const nodes = plans.map((plan) => filterNode(context, plan));
  for (let at = 1; at < nodes.length; at += 1) nodes[at - 1].connect(nodes[at]);
  return nodes;
}

/**
 * @param {BaseAudioContext} context
 * @param {AudioNode[]} nodes
 * @param {import("./shapes").FilterPlan[]} plans
 */
function moveFilters(context, nodes, plans) {
  nodes.forEach((node, at) => {
    if (!(node instanceof BiquadFilterNode)) return;
    glide(context, node.frequency, plans[at].hz);
    glide(context, node.Q, plans[at].quality);
    glide(context, node.gain, plans[at].gain_db);
  });
}

/** @param {BaseAudioContext} context */
export function stereoGain(context, value = 1) {
  const node = context.createGain();
  node.channelCount = 2;
  node.channelCountMode = "explicit";
  node.gain.value = value;
  return node;
}

/**
 * @param {BaseAudioContext} context
 * @param {import("./shapes").UnitPlan} plan
 * @returns {UnitNode}
 */
function tone(context, plan) {
  const nodes = filterRow(context, plan.filters);
  const input = nodes[0] ?? stereoGain(context);
  return { input, output: nodes.at(-1) ?? input, follows: [], side: null, taken: null, take: ({ filters }) => moveFilters(context, nodes, filters) };
}

/**
 * @param {BaseAudioContext} context
 * @param {import("./shapes").UnitPlan} plan
 * @returns {UnitNode}
 */
function compressor(context, plan) {
  const fed = Boolean(plan.side);
  const node = worklet(context, "stage-compressor", { numbers: { ...plan.numbers, fed } }, 2);
  const side = stereoGain(context);
  side.connect(node, 0, 1);
  let taken = 0;
  node.port.onmessage = ({ data }) => (taken = data);
  return { input: node, output: node, follows: [], side, taken: () => taken, take: ({ numbers }) => node.port.postMessage({ ...numbers, fed }) };
}

/**
 * @param {BaseAudioContext} context
 * @param {import("./shapes").UnitPlan} plan
 * @returns {UnitNode}
 */
function drive(context, plan) {
  const node = worklet(context, "stage-drive", { numbers: plan.numbers, character: plan.character, taps: DRIVE_TAPS });
  return { input: node, output: node, follows: [], side: null, taken: null, take: ({ numbers }) => node.port.postMessage(numbers) };
}

/**
 * @param {BaseAudioContext} context
 * @returns {UnitNode}
 */
function moved(context) {
  const node = stereoGain(context);
  return { input: node, output: node, follows: [{ param: node.gain, points: "gain" }], side: null, taken: null, take: () => {} };
}

/**
 * @param {BaseAudioContext} context
 * @param {import("./shapes").UnitPlan} plan
 * @returns {UnitNode}
 */
function sway(context, plan) {
  const input = stereoGain(context);
  /** @type {UnitNode["follows"]} */
  const follows = [];
  let from = /** @type {AudioNode} */ (input);
  if (plan.filters.length) {
    const sum = stereoGain(context);
    plan.filters.forEach((filter, number) => {
      const weight = stereoGain(context, 0);
      from.connect(filterNode(context, filter)).connect(weight).connect(sum);
      follows.push({ param: weight.gain, points: `weight ${number}` });
    });
    from = sum;
  }
  if (plan.points.gain) {
    const gain = stereoGain(context);
    follows.push({ param: gain.gain, points: "gain" });
    from = from.connect(gain);
  }
  const pan = context.createStereoPanner();
  pan.channelCount = 2;
  pan.channelCountMode = "explicit";
  follows.push({ param: pan.pan, points: "pan" });
  from.connect(pan);
  return { input, output: pan, follows, side: null, taken: null, take: () => {} };
}

/**
 * @param {BaseAudioContext} context
 * @param {import("./shapes").UnitPlan} plan
 * @param {boolean} alone without the sound itself
 * @returns {UnitNode}
 */
export function echo(context, plan, alone = false) {
  const { numbers, filters } = plan;
  const node = worklet(context, "stage-echo", { numbers, filters });
  const delay = /** @type {AudioParam} */ (node.parameters.get("delay"));
  const input = stereoGain(context);
  const output = stereoGain(context);
  const mix = stereoGain(context, numbers.mix);
  input.connect(node).connect(mix).connect(output);
  if (!alone) input.connect(output);
  delay.value = plan.delays[0][1];
  return {
    input, output, side: null, taken: null,
    follows: [{ param: delay, points: "delay" }],
    take: (next) => {
      glide(context, mix.gain, next.numbers.mix);
      node.port.postMessage({ numbers: next.numbers, filters: next.filters });
    },
  };
}

/**
 * @param {BaseAudioContext} context
 * @param {import("./shapes").UnitPlan} plan
 * @returns {UnitNode}
 */
function wide(context, plan) {
  const input = stereoGain(context);
  const split = context.createChannelSplitter(2);
  const output = context.createChannelMerger(2);
  input.connect(split);
  const share = (/** @type {number} */ width, /** @type {boolean} */ same) => (same ? 1 + width : 1 - width) / 2;
  const gains = [0, 1].flatMap((to) => [0, 1].map((from) => ({ same: from === to, from, to, node: new GainNode(context, { gain: share(plan.numbers.width, from === to) }) })));
  for (const { from, to, node } of gains) {
    split.connect(node, from);
    node.connect(output, 0, to);
  }
  return { input, output, follows: [], side: null, taken: null, take: ({ numbers }) => gains.forEach(({ node, same }) => glide(context, node.gain, share(numbers.width, same))) };
}

/**
 * @param {BaseAudioContext} context
 * @param {string} name
 * @param {any} processorOptions
 * @param {number} [inputs]
 */
export function worklet(context, name, processorOptions, inputs = 1) {
  return new AudioWorkletNode(context, name, { numberOfInputs: inputs, outputChannelCount: [2], channelCount: 2, channelCountMode: "explicit", processorOptions });
}

/** @type {Record<string, (context: BaseAudioContext, plan: import("./shapes").UnitPlan) => UnitNode>} */
const MAKERS = { tone, compressor, drive, duck: moved, gate: moved, sway, echo, wide };

/**
 * @param {BaseAudioContext} context
 * @param {import("./shapes").UnitPlan} plan
 * @returns {UnitNode}
 */
export function unitNode(context, plan) {
  const made = MAKERS[plan.kind](context, plan);
  return plan.points.on ? inSections(context, made) : made;
}

/**
 * A unit that is on in some sections only: what goes in is heard in the others.
 * @param {BaseAudioContext} context
 * @param {UnitNode} made
 * @returns {UnitNode}
 */
function inSections(context, made) {
  const [input, output, on, off] = [1, 1, 0, 1].map((gain) => stereoGain(context, gain));
  input.connect(made.input);
  made.output.connect(on).connect(output);
  input.connect(off).connect(output);
  return { ...made, input, output, follows: [...made.follows, { param: on.gain, points: "on" }, { param: off.gain, points: "off" }] };
}

/**
 * What has to be the same for a unit to take other numbers while it sounds.
 * @param {import("./shapes").UnitPlan} plan
 */
export const shapeOf = ({ kind, character, side, filters, points }) =>
  JSON.stringify([kind, kind === "sway" ? filters : kind === "echo" ? [] : filters.map(({ type, b }) => [type, b]), character, side, Object.keys(points)]);
