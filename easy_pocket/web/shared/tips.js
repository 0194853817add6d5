// What the controls that every screen has do, by selector: told beside them (tip.js).

/** @type {Record<string, string>} */
export const TIPS = {
  "#song-name": "Name of the song",
  "#not-made": "Edits that could not be made; press to see them and try again",
  "#play": "Play, stop (Space)",
  "#tap": "Tap the tempo, four times or more (t)",
  "[data-click=on]": "A click on the beats while the loop or the song plays",
  "[data-click=between]": "Softer clicks between the beats",
  "[data-click=seen]": "The click button lights up on the beats, with or without sound",
  "#felt": "Hear the beat with its feel",
  "#straight": "Hear every hit on its grid (hold h)",
  ".export > button": "Files of the song or of this pattern: MIDI, audio, stems",
  "#export-menu a": "Download it",
  "[data-section-go]": "Look at this section, and play from it",
  "[data-section-split]": "The section ends before that bar, and another begins",
  "[data-section-join]": "This section and the next become one",
  "[data-how-to]": "The how-to pages, while the beat goes on (F1)",
  "[data-help]": "All keys (?)",
  "[data-go-to]": "Go to a screen or a place by two keys (i)",
  "[data-tab], [role=tab]": "Show this beside the work",
  ".mark": "To the Shelf",
  "#export-from": "First bar of the song that is written",
  "#export-to": "Last bar of the song that is written",
  "[data-section-name]": "Type a new name of the section; Enter keeps it",
  "[data-section-bar]": "Bar of this section with which another begins",
  ".first-run button": "Send this line away for good",
};
