// The arithmetic of playing: which pass plays what, where a time lies, what is needed. Nothing here sounds.

/**
 * What a pass (counted from 0) plays. Straight columns may still be on their way: until then it is felt.
 * @param {import("./shapes").Playing} playing
 * @param {string} timing "felt" or "straight"
 * @param {number} pass
 * @returns {import("./shapes").Columns}
 */
export function columnsOf(playing, timing, pass) {
  const straight = timing === "straight" && playing.straight;
  const first = straight || playing.felt;
  const more = (straight ? playing.straight_more : playing.felt_more) ?? [];
  const again = playing.first_pass_differs ? 1 : 0;
  const count = more.length + 1;
  const place = pass < count ? pass : again + ((pass - again) % (count - again));
  return /** @type {import("./shapes").Columns} */ (place ? more[place - 1] : first);
}

/**
 * The first of ascending times that is not before another one.
 * @param {number[]} times
 * @param {number} at
 */
export function firstFrom(times, at) {
  let [low, high] = [0, times.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (times[middle] < at) low = middle + 1;
    else high = middle;
  }
  return low;
}

/**
 * The bar (from 0) of a song in which a time lies, and how far into it.
 * @param {any} song
 * @param {number} at_s
 */
export function placeIn(song, at_s) {
  const bar = Math.max(0, Math.min(firstFrom(song.bars_s, at_s + 1e-6) - 1, song.bars_s.length - 2));
  const length = song.bars_s[bar + 1] - song.bars_s[bar];
  return { bar, share: Math.max(0, Math.min((at_s - song.bars_s[bar]) / length, 1)) };
}

/**
 * Keys of all audio that is needed to play it.
 * @param {import("./shapes").Playing} playing
 */
export function keysOf(playing) {
  const layers = (playing.layered_loops ?? []).map((key) => `layers/${key}`);
  const heard = [playing.felt, ...(playing.felt_more ?? []), playing.straight, ...(playing.straight_more ?? [])];
  return [...new Set([...heard.flatMap((columns) => columns?.audio ?? []), ...layers])];
}

/**
 * Whether two performances sound alike: then nothing that is planned needs to be taken back. The page and the server's
 * answers order their fields differently, so they are compared one by one.
 * @param {any} before
 * @param {any} after
 */
export function soundsAlike(before, after) {
  if (!before) return false;
  const equal = (/** @type {any} */ one, /** @type {any} */ other) => JSON.stringify(one) === JSON.stringify(other);
  const alike = (/** @type {any} */ one, /** @type {any} */ other) => Object.keys({ ...one, ...other }).every((field) => equal(one[field], other[field]));
  const { felt, straight, straight_more, strikes, ...facts } = after;
  const straightAlike = !straight || !before.straight || alike(before.straight, straight);
  return alike(before.felt, felt) && straightAlike && Object.keys(facts).every((field) => equal(before[field], facts[field]));
}
