// What the controls of this screen do, by selector: told beside them (tip.js).

/** @type {Record<string, string>} */
export const TIPS = {
  "[data-groove-as=map]": "All grooves, with those of this song's loops and takes, by how they lean and stress",
  "[data-groove-as=list]": "All grooves of the shelf, one under another",
  "[data-groove-take]": "The loop's groove goes on the shelf",
  "#groove-new": "Name of the new groove",
  "#draw-slots": "Slots in a bar",
  "#draw-bars": "Bars of the groove, 1 to 8",
  "[data-groove-make=draw]": "An even groove to draw on",
  "#take-from": "First bar it is taken from",
  "#take-bars": "How many bars",
  "[data-groove-make=bars]": "How these bars are played becomes a groove",
  "#take-loop": "Loop it is taken from",
  "[data-groove-make=loop]": "How this loop is played becomes a groove",
  "[data-groove-id]": "Look at it and hear it in the beat (arrows step, Enter puts it on)",
  "[data-lane]": "Offsets and accents of this band",
  "[data-groove-scope]": "Put the groove on this, or take it off",
  "#blend-share": "How much of the other groove is in it",
  "[data-groove-blend]": "A new groove between both",
  "[data-groove-longer=copy]": "A copy to change",
  "[data-groove-away]": "Take it from the shelf; undo brings it back",
};
