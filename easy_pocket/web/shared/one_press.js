// What a double click does once: the second press would make a second one of it, or fall on what came up in its place.

const MAKES_OR_TAKES_AWAY = [
  // Loops
  "[data-slices-part], [data-slices-song], [data-keep-them], [data-fill-take], [data-take], [data-beat-put]",
  "[data-correction], [data-layer-put], [data-remove-loop]",
  // Takes
  "[data-away], [data-take-away], [data-write], [data-write-song], #write-in, #steadiest, #hand-keep, #hand-groove, #hand-play, #keep-played",
  // Ideas and grooves
  "[data-idea-put], #idea-put, #idea-end, #idea-more, [data-put-kept], [data-idea-bring]",
  "[data-groove-make], [data-groove-blend], [data-groove-longer], [data-groove-away]",
  // Song, Kit, Stage
  "[data-plan-add], [data-plan-stages], [data-section-split], [data-section-join], #plan-flat",
  "[data-kit-new], [data-layer-off], [data-alternate-add], [data-voice-off], [data-unit-away], [data-group-make], [data-group-away], [data-chain-put]",
  // Forms and buttons of the shelf and of accounts
  "button[hx-post], form[hx-post] [type=submit]",
].join(", ");

export class OnePress {
  constructor() {
    // Before anybody else hears of it.
    document.addEventListener("click", (event) => this.heard(event), true);
  }

  /** @param {MouseEvent} event */
  heard(event) {
    if (event.detail < 2 || !(/** @type {Element} */ (event.target).closest(MAKES_OR_TAKES_AWAY))) return;
    event.preventDefault();
    event.stopPropagation();
  }
}
