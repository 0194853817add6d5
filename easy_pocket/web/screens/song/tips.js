// What the controls of this screen do, by selector: told beside them (tip.js).

/** @type {Record<string, string>} */
export const TIPS = {
  "#plan-collisions": "Where two parts strike one sound at once, and what to do about it",
  "#add-kit": "Kit the new part plays on",
  "[data-plan-add=empty]": "A part without hits",
  "#add-line": "A part with this line",
  "#add-loop": "A part with what was heard in this loop",
  "[data-plan-section=copy]": "The chosen section once more, after it",
  "[data-plan-section=empty]": "A section in which nothing plays yet",
  "#stage-count": "How many stages",
  "#stage-bars": "Bars of each stage",
  "[data-plan-stages=up]": "Sections before this one in which voices come in one after another",
  "[data-plan-stages=down]": "Sections after this one in which voices go one after another",
  "#plan-flat": "Every part becomes one long pattern; undo takes it back",
  "[data-set=cell]": "Which pattern the part plays here (1 to 9, 0 rests)",
  "[data-set='cell level']": "Level of the part in this section in dB",
  ".plan-head": "Choose this section (again: its name, bars and more)",
  ".plan-join": "How this section goes over into the next",
};
