// Pad controllers and electronic drums: what they send becomes strikes. Notes are learned by striking; controller 4 opens
// and closes the hat; pressure on a pad chokes. Any number of devices, told apart by their ids.

const KEPT = "easy-pocket-midi";
const CURVES = { even: 1, soft: 0.7, hard: 1.4 };
const CLOSED = 64; // of controller 4: from here on the hat is closed
const CHOKES = 64; // pressure from which a pad is held

/**
 * @typedef {{ id: string, name: string, channel: number, curve: "even" | "soft" | "hard", notes: Record<string, string>, last: number | null, pedal: number | null, gone: boolean }} Device
 */

export class MidiIn {
  /** @param {import("./takes.js").default} screen */
  constructor(screen) {
    this.screen = screen;
    /** @type {Map<string, Device>} */
    this.devices = new Map();
    /** @type {Record<string, string>} */
    this.notes = {}; // MIDI note to voice, as kit and General MIDI have them
    this.state = "off";
    this.words = "press to look for them";
  }

  async open() {
    if (!navigator.requestMIDIAccess) {
      this.tell("refused", "this browser has no MIDI; use keys or pads");
      return;
    }
    try {
      this.attach(await navigator.requestMIDIAccess());
    } catch {
      this.tell("refused", "not allowed; allow MIDI in the browser");
    }
  }

  /**
   * Real devices and simulated ones come through the same interface.
   * @param {any} access
   */
  attach(access) {
    const look = () => {
      for (const input of access.inputs.values()) this.add(input);
      for (const device of this.devices.values()) {
        const input = access.inputs.get(device.id);
        if (device.id !== "quay" || access.simulated) device.gone = access.inputs.has(device.id) ? input.state === "disconnected" : !access.simulated && device.id !== "quay";
      }
      this.tell("on", this.devices.size ? "" : "none is connected");
    };
    access.onstatechange = look;
    look();
  }

  /** @param {any} input */
  add(input) {
    if (!this.devices.has(input.id)) {
      const same = [...this.devices.values()].filter((one) => one.name.replace(/ \d+$/, "") === input.name).length;
      const name = same ? `${input.name} ${same + 1}` : input.name || "controller";
      const known = JSON.parse(localStorage.getItem(KEPT) ?? "{}")[name] ?? {};
      this.devices.set(input.id, { id: input.id, name, channel: 0, curve: "even", notes: {}, ...known, last: null, pedal: null, gone: false });
    }
    input.onmidimessage = (/** @type {any} */ message) => this.message(input.id, message);
  }

  /**
   * @param {string} state
   * @param {string} words
   */
  tell(state, words) {
    this.state = state;
    this.words = words;
    this.screen.showDevices();
  }

  /**
   * @param {string} id
   * @param {{ data: Uint8Array | number[], timeStamp: number }} message
   */
  message(id, { data, timeStamp }) {
    const status = data[0];
    if (status >= 0xf0) return; // clock, active sensing: without end, and nothing to us
    const device = this.devices.get(id);
    if (!device || (device.channel && (status & 0x0f) !== device.channel - 1)) return;
    const kind = status & 0xf0;
    if (kind === 0x90 && data[2] > 0) this.note(device, data[1], data[2], timeStamp);
    else if (kind === 0xb0 && data[1] === 4) this.pedal(device, data[2]);
    else if (kind === 0xa0 && data[2] >= CHOKES) this.screen.striker.choke(this.voiceOf(device, data[1]) ?? "");
  }

  /**
   * @param {Device} device
   * @param {number} note
   * @param {number} velocity
   * @param {number} ms
   */
  note(device, note, velocity, ms) {
    const before = device.last;
    device.last = note;
    const voice = this.voiceOf(device, note);
    const size = Math.max(1, Math.min(127, Math.round(127 * (velocity / 127) ** CURVES[device.curve])));
    if (voice) this.screen.struck(voice, size, ms, device.id === "quay" ? "quay" : `midi ${device.name}`);
    if (before !== note && device.id !== "quay") this.screen.showDevices();
  }

  /**
   * @param {Device} device
   * @param {number} note
   */
  voiceOf(device, note) {
    const voice = device.notes[note] ?? this.notes[note];
    if (device.pedal === null || !["hat_closed", "hat_open"].includes(voice)) return voice;
    const wanted = device.pedal >= CLOSED ? "hat_closed" : "hat_open";
    return this.screen.striker.pads.has(wanted) ? wanted : voice;
  }

  /**
   * @param {Device} device
   * @param {number} value
   */
  pedal(device, value) {
    const closes = (device.pedal ?? 0) < CLOSED && value >= CLOSED;
    device.pedal = value;
    if (closes) this.screen.striker.choke("hat_open");
  }

  /**
   * @param {string} id
   * @param {Partial<Device>} change
   */
  set(id, change) {
    const device = this.devices.get(id);
    if (!device) return;
    Object.assign(device, change);
    const { name, channel, curve, notes } = device;
    const all = JSON.parse(localStorage.getItem(KEPT) ?? "{}");
    localStorage.setItem(KEPT, JSON.stringify({ ...all, [name]: { channel, curve, notes } }));
    this.screen.showDevices();
  }
}
