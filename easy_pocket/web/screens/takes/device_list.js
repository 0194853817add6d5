// What is played from: keys, the simulated pads, pad controllers with their notes, channels and curves.

import { byId, element, text } from "../../shared/dom.js";

const HOT_MS = 160;

export class DeviceList {
  /** @param {import("./takes.js").default} screen */
  constructor(screen) {
    this.screen = screen;
    /** @type {Map<string, any>} */
    this.lights = new Map();
  }

  /** @param {string} source */
  choose(source) {
    const { screen } = this;
    if (source === "keys") screen.setLetters(!screen.pads.letters);
    else if (source === "quay") {
      screen.midi.attach(screen.quay);
      screen.quay.toggle();
    } else if (source === "mic") screen.mic.toggle();
    else screen.midi.open();
    screen.latency.show(source === "keys" ? "keys" : source);
    this.show();
  }

  show() {
    const { pads, quay, midi, mic } = this.screen;
    const on = { mic: Boolean(mic.tape), keys: pads.letters, quay: quay.on, midi: midi.state === "on" && [...midi.devices.values()].some((one) => one.id !== "quay") };
    for (const [source, pressed] of Object.entries(on)) document.querySelector(`[data-source="${source}"]`)?.setAttribute("aria-pressed", `${pressed}`);
    byId("keys-state").textContent = pads.letters ? "letters, three rows" : "letters are shortcuts; press to strike";
    byId("mic-state").textContent = mic.words;
    byId("midi-state").textContent = midi.words || `${[...midi.devices.values()].filter((one) => one.id !== "quay").length || "none"} connected`;
    byId("midi-devices").replaceChildren(...[...midi.devices.values()].filter((one) => one.id !== "quay").map((device) => this.row(device)));
  }

  /** @param {import("./midi_in.js").Device} device */
  row(device) {
    const row = element("div", "midi-device");
    row.append(text("b", device.gone ? `${device.name}: gone` : device.name));
    const options = element("span");
    options.append(this.choice(device, "curve", "Velocity curve", [["even", "even"], ["soft", "soft touch"], ["hard", "hard touch"]], device.curve));
    options.append(this.choice(device, "channel", "Channel", [["0", "all channels"], ...Array.from({ length: 16 }, (_, number) => [`${number + 1}`, `channel ${number + 1}`])], `${device.channel}`));
    row.append(options);
    if (device.last !== null) {
      const voice = this.screen.midi.voiceOf(device, device.last) ?? "";
      const voices = [["", "nothing"], ...(this.screen.data?.pads ?? []).map((pad) => [pad.voice, pad.name])];
      row.append(text("small", `note ${device.last} is`), this.choice(device, "note", `What note ${device.last} strikes`, voices, voice));
    }
    return row;
  }

  /**
   * @param {import("./midi_in.js").Device} device
   * @param {string} field
   * @param {string} label
   * @param {string[][]} options
   * @param {string} chosen
   */
  choice(device, field, label, options, chosen) {
    const made = document.createElement("select");
    made.setAttribute("aria-label", `${label}, ${device.name}`);
    Object.assign(made.dataset, { device: device.id, field });
    for (const [value, words] of options) made.append(new Option(words, value, false, value === chosen));
    return made;
  }

  /** @param {Piece} field */
  change(field) {
    const { midi } = this.screen;
    const device = midi.devices.get(field.dataset.device);
    if (!device) return;
    if (field.dataset.field === "note") midi.set(device.id, { notes: { ...device.notes, [device.last ?? 0]: field.value } });
    else if (field.dataset.field === "channel") midi.set(device.id, { channel: Number(field.value) });
    else midi.set(device.id, { curve: /** @type {any} */ (field.value) });
  }

  /** @param {string} source */
  flash(source) {
    const name = source.startsWith("midi") ? "midi" : source;
    const light = document.querySelector(`[data-source="${name}"] .light`);
    if (!light) return;
    light.classList.add("hot");
    clearTimeout(this.lights.get(name));
    this.lights.set(name, setTimeout(() => light.classList.remove("hot"), HOT_MS));
  }
}
