// What the controls of this screen do, by selector: told beside them (tip.js).

/** @type {Record<string, string>} */
export const TIPS = {
  "[data-tempo-step='-1']": "One bpm slower",
  "[data-tempo-step='1']": "One bpm faster",
  ".begin-card [name=metre]": "Metre of the first bar",
  ".empty-bar button[type=submit]": "A new song with one empty bar (n)",
  "#begin-line button[type=submit]": "A new song that begins with this line",
  "[data-order=changed]": "Songs that were changed last come first",
  "[data-order=name]": "Songs by name",
  "[data-order=tempo]": "Songs by tempo, slow ones first",
  "[data-order=length]": "Songs by length, short ones first",
  ".song-card a": "Open it on the Bench",
  ".song-card form input": "Type a new name; Enter keeps it",
  ".song-card form button": "Keep the new name",
  "[data-rename]": "Another name",
  ".song-actions [hx-post$=duplicate]": "A copy of the song",
  ".song-actions a[download]": "The song with its kits, loops and takes in one file (.pocket), to be opened anywhere",
  ".song-actions [hx-post$=delete]": "Into the bin; it can be brought back for a while",
  ".song-actions a[download][href$='history=true']": "The same with every step to undo, and what those need",
  "[data-shorten]": "Forget older steps to undo; the song stays as it is",
  ".history-form button[type=submit]": "Forgotten for good",
  ".history-form input": "How many of the newest steps can still be undone",
  ".bin [hx-post]": "Back to the songs",
};
