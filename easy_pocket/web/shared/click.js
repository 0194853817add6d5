// The click: sounds on bars and beats at times Python gave, beside the Stage; and bars that are counted in before playing.

const FLASH_S = 0.09;
const KEPT = "easy-pocket-click";
const KINDS = ["bar", "beat", "between"];
const PLAIN = { on: false, when: "always", level_db: -12, between: false, count_in: 0, seen: false };

export class Click {
  /** @param {import("./player.js").Player} player */
  constructor(player) {
    this.player = player;
    this.settings = { ...PLAIN, ...kept() };
    this.lit = false;
    document.addEventListener("input", (event) => this.change(event.target));
    document.addEventListener("change", (event) => this.change(event.target));
    this.show();
  }

  /** @param {any} field */
  change(field) {
    const name = field?.dataset?.click;
    if (!name) return;
    const value = field.type === "checkbox" ? field.checked : Number(field.value);
    if (this.shown(name) === value) return;
    if (name === "on" && value) this.settings.when = "always"; // the header's switch is for all playing
    this.set(name, value);
  }

  /** @param {string} name */
  shown(name) {
    if (name === "on") return this.settings.on && this.settings.when === "always";
    return this.settings[/** @type {keyof typeof PLAIN} */ (name)];
  }

  /**
   * @param {string} name
   * @param {any} value
   */
  set(name, value) {
    this.settings = { ...this.settings, [name]: value };
    localStorage.setItem(KEPT, JSON.stringify(this.settings));
    this.show();
    if (this.player.running && name !== "count_in") this.player.replan();
  }

  /** @param {string} when "off", "in" (while playing in) or "always" */
  setWhen(when) {
    if (when !== "off") this.settings.when = when;
    this.set("on", when !== "off");
  }

  // Whether it is to sound now.
  get sounds() {
    return this.settings.on && (this.settings.when !== "in" || this.player.playsIn);
  }

  /**
   * The beat is seen, too, where that was asked for.
   * @param {number | null} position
   */
  flash(position) {
    const { clicks } = this.player.heard ?? {};
    const lit = Boolean(this.settings.seen && position !== null && clicks?.times_s.some((/** @type {number} */ at, /** @type {number} */ number) => clicks.kinds[number] < 2 && position >= at && position < at + FLASH_S));
    if (lit === this.lit) return;
    this.lit = lit;
    for (const piece of document.querySelectorAll("#click-chip, .pin")) piece.classList.toggle("beat", lit);
  }

  show() {
    for (const field of document.querySelectorAll("[data-click]")) {
      const value = this.shown(field.dataset.click);
      if (field.type === "checkbox") field.checked = value;
      else field.value = `${value}`;
    }
    document.getElementById("click-chip")?.classList.toggle("on", this.settings.on);
  }

  // What has to be there before it can sound.
  get keys() {
    return this.sounds || this.settings.count_in ? KINDS.map((kind) => `clicks/${kind}`) : [];
  }

  /** @returns {number} how long is counted in before what is heard now, in s */
  get countInLength() {
    return this.settings.count_in * (this.player.heard?.clicks?.bar_s ?? 0);
  }

  /**
   * Clicks of a pass that begins at `begin`, those from `from` to `until`.
   * @param {number} begin
   * @param {number} from
   * @param {number} until
   */
  plan(begin, from, until) {
    if (this.sounds) this.strike(begin, from, until);
  }

  /**
   * The bars that are counted in, on or off.
   * @param {number} begins when the music begins
   */
  planCountIn(begins) {
    const bar_s = this.player.heard?.clicks?.bar_s ?? 0;
    for (let bar = this.settings.count_in; bar > 0; bar -= 1) this.strike(begins - bar * bar_s, 0, begins - (bar - 1) * bar_s - 1e-6, bar_s);
  }

  /**
   * @param {number} begin
   * @param {number} from
   * @param {number} until
   * @param {number} [length]
   */
  strike(begin, from, until, length = Infinity) {
    const { clicks } = this.player.heard ?? {};
    clicks?.times_s.forEach((time_s, number) => {
      const at = begin + time_s;
      const kind = KINDS[clicks.kinds[number]];
      if (at < from || at >= until || time_s >= length - 1e-6 || (kind === "between" && !this.settings.between)) return;
      this.sound(kind, at);
    });
  }

  /**
   * @param {string} kind
   * @param {number} at
   */
  sound(kind, at) {
    const { player } = this;
    const buffer = player.buffers.get(`clicks/${kind}`);
    if (!(buffer instanceof AudioBuffer)) {
      player.sound(`clicks/${kind}`);
      return;
    }
    const node = new AudioBufferSourceNode(player.context, { buffer });
    const gain = new GainNode(player.context, { gain: 10 ** (this.settings.level_db / 20) });
    node.connect(gain).connect(player.master);
    node.start(at);
    const voice = { node, gain, at, click: kind };
    player.pending.add(voice);
    node.onended = () => player.pending.delete(voice);
  }
}

function kept() {
  try {
    return JSON.parse(localStorage.getItem(KEPT) ?? "{}");
  } catch {
    return {};
  }
}
