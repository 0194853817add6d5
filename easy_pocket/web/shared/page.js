// A song's page: the queue of edits, the player, and the screen that is shown. It knows no screen by name.

import { Click } from "./click.js";
import { byId } from "./dom.js";
import { ask } from "./api.js";
import { Edits } from "./edit_queue.js";
import { takeAway } from "./exports.js";
import { KeyTable } from "./key_table.js";
import { swapFragments, swapScreen } from "./fragments.js";
import { GoTo } from "./go_to.js";
import { Header } from "./header.js";
import { HelpPanel } from "./help_panel.js";
import { Keys, isPressedBySpace } from "./keys.js";
import { KeyList } from "./key_list.js";
import { selectionFromAddress, setSelection, selection } from "./selection.js";
import { showNote } from "./notes.js";
import { mountOwn } from "./own_script.js";
import { Live } from "./live.js";
import { People } from "./people.js";
import { Parked } from "./parked_edits.js";
import { Screen } from "./screen.js";
import { Player } from "./player.js";
import { Ribbon } from "./ribbon.js";
import { SongPlan } from "./song_plan.js";
import { paint, paintAll } from "./sliders.js";
import { Transport } from "./transport.js";
import { TryOut } from "./try_out.js";

const EAR_FIRST_MS = 120;

export class Page {
  /** @type {any} */
  view;
  /**
   * @param {{song: import("./shapes").SongHeader, playing: import("./shapes").Playing}} state
   * @param {{name: string, title: string, Script: new (page: Page) => import("./screen.js").Screen}[]} screens
   */
  constructor(state, screens) {
    this.song = state.song;
    this.showsSong = true;
    setSelection(state.song.at);
    this.playing = state.playing;
    this.view = { screen: this.screen, scope: "stack", straight: false, voice: "", layer: 0, alternate: 0, groove: 0, lane: "all" };
    this.player = new Player();
    this.player.click = new Click(this.player);
    this.player.setStack(state.playing);
    this.edits = new Edits(state.song.id, state.song.revision, () => this.view);
    this.parked = new Parked(this.edits);
    this.tryOut = new TryOut(this);
    this.header = new Header(this);
    this.plan = new SongPlan(this);
    this.transport = new Transport(this);
    this.titles = screens;
    /** @type {Record<string, any>} */
    this.screens = {};
    for (const { name, Script } of screens) this.screens[name] = new Script(this);
    this.plain = new Screen(this); // of a screen that has no script of its own
    this.current = this.shown;
    this.ribbon = new Ribbon(this);
    this.whose = new Keys(this);
    this.keyList = new KeyList(() => this.keyTables);
    this.goTo = new GoTo(this);
    this.help = new HelpPanel();
    new KeyTable(this);
    this.people = new People(this);
    this.live = new Live(this);
    this.listen();
    this.showSong();
    this.arrive();
    this.transport.draw();
    this.fetchStraightSoon();
    if (this.edits.seen > this.edits.revision) this.refresh(); // loaded while the last edit was still on its way
  }

  get screen() {
    return byId("screen").dataset.screen;
  }

  get shown() {
    return this.screens[this.screen] ?? this.plain;
  }

  get keys() {
    return [
      { keys: "Space", words: "play, stop", run: (/** @type {PageEvent} */ event) => (isPressedBySpace(event.target, this.whose.byTab) ? false : this.transport.toggle()) },
      { keys: "h", words: "hold to hear it straight", run: (/** @type {PageEvent} */ event) => event.repeat || this.transport.hold() },
      { keys: "t", words: "tap the tempo", run: () => this.header.tap() },
      { keys: "Ctrl+z", shows: "Ctrl Z", words: "undo; with Shift, redo", run: () => this.edits.step("undo") },
      { keys: "Ctrl+Shift+z", run: () => this.edits.step("redo") },
      ...Object.values(this.screens).flatMap((screen) => screen.everywhere),
      { keys: "i", words: "go to a screen, or a place on this one", run: () => this.goTo.toggle() ?? true },
      { keys: "F1", words: "how to: the pages of this screen", run: () => this.help.toggle() ?? true },
      { keys: "? Shift+?", shows: "?", words: "this list", run: () => this.keyList.toggle() ?? true },
    ];
  }

  /** @returns {[string, import("./keys.js").KeyRow[]][]} this screen's first */
  get keyTables() {
    const of = (/** @type {boolean} */ here) => this.titles.filter(({ name }) => (this.screens[name] === this.current) === here).map(({ name, title }) => /** @type {[string, any]} */ ([title, this.screens[name].keys]));
    return [...of(true), ["Everywhere", this.keys], ...of(false)];
  }

  /** @returns {{keys: import("./keys.js").KeyRow[]} | null} what is open over the screen and has the keys */
  get opened() {
    if (this.goTo?.open) return this.goTo;
    return this.keyList?.open && this.keyList.box.contains(document.activeElement) ? { keys: [] } : null;
  }

  /** @returns {boolean} whether something was */
  closeOpened() {
    return this.goTo.close() || this.keyList.close() || this.help.close() || this.current.closeOpened();
  }

  listen() {
    this.edits.addEventListener("state", ({ detail }) => {
      this.take(detail);
      if (!detail.more) this.askAgain();
    });
    this.edits.addEventListener("song", ({ detail }) => this.showSong(detail));
    this.edits.addEventListener("parked", () => this.refresh()); // what was drawn of it already is taken back
    document.addEventListener("click", (event) => this.click(event));
    document.addEventListener("input", (event) => event.target.type === "range" && paint(event.target));
    document.addEventListener("change", (event) => {
      if (event.target.dataset.edit === "kit") this.edits.push({ kind: "kit", kit_key: event.target.value }, { near: event.target });
    });
    window.addEventListener("popstate", () => {
      selectionFromAddress();
      this.redraw();
    });
    // A control under a finger is left as it is: the press would be lost.
    document.addEventListener("pointerdown", (event) => (this.pressed = event.target), true);
    for (const name of ["pointerup", "pointercancel"]) document.addEventListener(name, () => setTimeout(() => this.letUp()), true);
  }

  /**
   * A screen was drawn (at first, by moving between screens, or anew): nothing that sounds is touched.
   * @param {{song: import("./shapes").SongHeader, playing: import("./shapes").Playing} | null} [state]
   */
  arrive(state = null) {
    const newer = state && state.song.id === this.song.id && state.song.revision > this.edits.revision;
    if (newer || (state && this.untold)) {
      this.untold = false;
      this.edits.revision = Math.max(this.edits.revision, state.song.revision);
      this.showSong(state.song);
      this.setPlaying(state.playing);
    }
    const before = this.current;
    this.current = this.shown;
    if (before !== this.current || !before.mounted) {
      if (before.mounted) before.unmount();
      before.mounted = false;
      this.current.mounted = true;
    }
    this.view.screen = this.screen;
    this.player.click?.show();
    document.querySelectorAll("[data-screen-link]").forEach((link) => {
      const here = link.dataset.screenLink === this.screen;
      link.classList.toggle("on", here);
      if (here) link.setAttribute("aria-current", "page");
      else link.removeAttribute("aria-current");
    });
    paintAll();
    this.current.mount();
    mountOwn(this);
    this.people?.draw();
    this.people?.tell();
    this.whose.give();
  }

  /** @param {import("./shapes").Playing} playing */
  setPlaying(playing) {
    this.playing = playing;
    if (!playing.straight) this.fetchStraightSoon();
    if (this.current?.trial || this.tryOut?.now) return; // a sound is tried in the beat; the stored one is heard when that ends
    if (this.player.mode !== "both" || !this.player.running) this.player.setStack(playing);
  }

  // Answers to edits bring what is felt; what lies on the grid comes when the hands rest, or when it is to be heard.
  fetchStraightSoon(wait_ms = 250) {
    clearTimeout(this.straightTimer);
    this.straightTimer = setTimeout(() => this.fetchStraight(), wait_ms);
  }

  async fetchStraight() {
    const { playing } = this;
    if (playing.straight || this.edits.queue.length) return;
    const answer = await ask(`/songs/${this.song.id}/straight`).catch(() => null);
    if (!answer?.ok) return;
    const { revision, ...columns } = await answer.json();
    if (playing !== this.playing || revision !== this.edits.revision) return;
    Object.assign(playing, columns);
    if (this.player.timing === "straight") this.player.setTiming("straight");
  }

  // Moving between screens --------------------------------------------------------------------------------------------
  // Draw the screen from the server, in place; what is asked for meanwhile is drawn once more at the end.
  async redraw(address = location.pathname) {
    if (address !== location.pathname) history.pushState({}, "", `${address}${location.search}`);
    this.drawAgain = true;
    if (this.drawing) return this.drawing;
    this.drawing = this.drawScreen();
    return this.drawing;
  }

  async drawScreen() {
    try {
      while (this.drawAgain) {
        this.drawAgain = false;
        const answer = await ask(location.pathname, { headers: { Accept: "text/html" } }).catch(() => null);
        if (!answer) showNote("Easy Pocket does not answer just now; what you see stays as it is.", { wrong: true });
        else if (!this.drawAgain) this.showScreen(await answer.text());
      }
    } finally {
      this.drawing = null; // a screen that fails leaves the way to the others open
    }
  }

  /**
   * Header, player and queue stay, so the sound goes on.
   * @param {string} html
   */
  showScreen(html) {
    const fresh = new DOMParser().parseFromString(html, "text/html");
    const same = fresh.getElementById("screen")?.dataset.screen === this.screen;
    swapScreen(html, !same);
    const state = JSON.parse(fresh.getElementById("song-state")?.textContent || "null");
    document.title = fresh.title;
    this.showsSong = Boolean(state); // the Shelf shows none
    this.live.follow();
    this.arrive(state);
  }

  // Ask for the song as it is now; done when that, or what was asked for since, is shown.
  refresh() {
    this.refreshing = this.askForState();
    return this.refreshing;
  }

  /** @returns {Promise<void>} */
  async askForState() {
    if (!this.showsSong) return;
    const view = { ...this.view };
    const query = new URLSearchParams(/** @type {any} */ (view));
    const turn = (this.refreshes = (this.refreshes ?? 0) + 1);
    const answer = await ask(`/songs/${this.song.id}/state?${query}`).catch(() => null);
    const state = answer?.ok ? await answer.json().catch(() => null) : null;
    if (turn !== this.refreshes) return this.refreshing;
    if (!state) return;
    if (this.edits.queue.length || state.song.revision < this.edits.revision) {
      // An edit overtook it: what it shows is old. Ask again when the edits are through.
      this.refreshWanted = true;
      if (!this.edits.queue.length) this.askAgain();
      return;
    }
    this.edits.revision = state.song.revision;
    const elsewhere = this.changedElsewhere ?? false;
    this.changedElsewhere = false;
    this.take({ state, item: { view, elsewhere }, more: false });
  }

  askAgain() {
    if (!this.refreshWanted) return;
    this.refreshWanted = false;
    this.refresh();
  }

  // Answers -----------------------------------------------------------------------------------------------------------
  /** @param {import("./screen.js").Answer} answer */
  take(answer) {
    const { state } = answer;
    const heard = state.screen === this.screen ? this.current.soundOf(answer) : null;
    this.showSong(state.song);
    this.untold = !state.playing; // a screen that plays the song is not told what the pattern plays; the next one is
    if (state.playing) this.setPlaying(state.playing);
    this.header.answered();
    const turn = (this.turn = (this.turn ?? 0) + 1);
    this.waitsForEar = Boolean(heard);
    if (!heard) this.drawAnswer(answer);
    // The ear comes first: what moves is on the screen already, and the rest can wait for the sound a moment.
    else Promise.race([heard, new Promise((go) => setTimeout(go, EAR_FIRST_MS))]).then(() => turn === this.turn && this.drawAnswer(answer));
  }

  /** @param {import("./screen.js").Answer} answer */
  drawAnswer(answer) {
    const { state, item } = answer;
    this.waitsForEar = false;
    const here = state.screen === this.screen;
    swapFragments(state.fragments, (id, target) => (here && this.current.holds(id, target, answer)) || this.isPressed(target));
    paintAll();
    this.ribbon.draw();
    this.people?.draw();
    this.people?.tell();
    if (here) this.current.apply(answer);
    this.plan.follow();
    this.current.follow(answer);
    if (!state.words) return;
    byId("spoken").textContent = `${item.path}: ${state.words}`;
    showNote(`${item.path === "undo" ? "Undone" : "Done again"}: ${state.words}`, { near: byId(item.path) });
  }

  /** @param {any} target */
  isPressed(target) {
    const pressed = Boolean(this.pressed?.matches?.("button, button *, select, .check, .check *") && target.contains(this.pressed));
    this.postponed ||= pressed;
    return pressed;
  }

  letUp() {
    this.pressed = null;
    if (!this.postponed) return;
    this.postponed = false;
    if (!this.edits.queue.length) this.refresh();
  }

  showSong(song = this.song) {
    this.song = song;
    this.header.show(song);
  }

  /**
   * Let a voice be heard: what was written when nothing plays, or what was pressed.
   * @param {string} voice
   * @param {boolean} [always]
   */
  sound(voice, always = false) {
    const strike = this.playing.strikes[voice];
    if (strike && (always || !this.player.running)) this.player.audition(strike.audio, strike.gain, strike.pan);
  }

  /** @param {any} changes */
  look(changes) {
    this.view = { ...this.view, ...changes };
    return this.refresh();
  }

  /**
   * Look at another part, pattern or section: the screen and what is heard go there.
   * @param {any} changes
   */
  lookAt(changes) {
    Object.assign(selection, changes);
    return this.refresh();
  }

  /** @param {PageEvent} event */
  click(event) {
    const link = event.target.closest?.("a[data-go]");
    if (link && event.button === 0 && !event.ctrlKey && !event.metaKey && !event.shiftKey) {
      event.preventDefault();
      if (link.pathname !== location.pathname) this.redraw(link.pathname);
      return;
    }
    const exported = event.target.closest?.("a[data-export]");
    if (exported) takeAway(exported, event);
  }
}
