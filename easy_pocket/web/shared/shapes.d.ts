// Made by `python -m easy_pocket.web.script_types` from the shapes of answers and the models of edits.

/** at: ids of the part, the pattern and the section that are looked at. undo, redo: what they would do, in words. */
export interface SongHeader {
  id: number;
  revision: number;
  name: string;
  tempo_bpm: number;
  metre: string;
  at: number[];
  undo: string | null;
  redo: string | null;
}

/** One hard hit of a voice. */
export interface Strike {
  audio: string;
  gain: number;
  pan: number;
}

/** Events as the player takes them, a row each; sound is an index into audio, place one into places of the Stage. A rate of 1 for all is null, and so is a cut that never comes. room: what single hits send to the long room. */
export interface Columns {
  audio: string[];
  sound: number[];
  places: string[];
  place: number[];
  start_s: number[];
  gain: number[];
  rate: number[] | null;
  pan: number[];
  cut_s: number[];
  room: number[] | null;
}

/** A loop in the song: which audio, and when. gain: besides the one all have. */
export interface LoopLayer {
  key: string;
  place: string;
  at_s: number;
  length_s: number;
  gain: number;
}

/** One turn of a section. */
export interface SongSpan {
  section: number;
  turn: number;
  from_s: number;
  to_s: number;
  first_bar: number;
  bars: number;
  start_tick: number;
  ticks: number;
}

/** kinds: 0 on a bar, 1 on a beat, 2 between; bar_s: how long the first bar is. */
export interface ClickTimes {
  times_s: number[];
  kinds: number[];
  bar_s: number;
}

/** What goes round: `felt` and `straight` are its first pass, `felt_more` and `straight_more` what differs after it; null is not asked for. Of a whole song there are bars and spans besides. */
export interface Playing {
  strikes: Record<string, Strike>;
  tempo_bpm: number;
  length_s: number;
  beat_s: number;
  beats: number;
  bars: number;
  first_pass_differs: boolean;
  master_gain: number;
  cut_fade_s: number;
  layered_loops: string[];
  layered_loop_places: string[];
  stage: StagePlan;
  clicks: ClickTimes;
  felt: Columns | null;
  felt_more: Columns[];
  straight: Columns | null;
  straight_more: Columns[];
}

/** places: those with a chain, sends or another way than to the whole; the whole is among them. */
export interface StagePlan {
  ceiling_db: number;
  places: Record<string, PlacePlan>;
  returns: Record<string, ReturnPlan>;
}

/** A chain with what leaves after it. to: the place its sound goes to next; sends: by "short", "long", "echo", as gains; send_points: of those that are others in other sections. */
export interface PlacePlan {
  to: string;
  units: UnitPlan[];
  sends: Record<string, number>;
  send_points: Record<string, Points>;
}

/** One unit that is on. numbers: what its twin computes with; points: what it follows, by name. With "on" and "off" among them it is heard in some sections only, and what goes in is heard in the others. */
export interface UnitPlan {
  kind: string;
  character: string;
  side: string;
  numbers: Record<string, number>;
  filters: FilterPlan[];
  points: Record<string, Points>;
  delays: [number, number][];
}

/** type: of the browser's filter node, with its quality in dB for cuts; or "iir" with coefficients b and a. */
export interface FilterPlan {
  type: string;
  hz: number;
  quality: number;
  gain_db: number;
  b: number[];
  a: number[];
}

/** A curve over one pass: times in s and values, straight between them. */
export interface Points {
  times_s: number[];
  values: number[];
}

/** What a room or the echo gives back. room: the key of its impulse response, "" for the echo. */
export interface ReturnPlan {
  room: string;
  gain: number;
  unit: UnitPlan | null;
  place: PlacePlan;
}

/** bars_s: when each bar begins, and the end. bar_beats: of each bar. */
export interface SongPlaying {
  strikes: Record<string, Strike>;
  tempo_bpm: number;
  length_s: number;
  beat_s: number;
  beats: number;
  bars: number;
  first_pass_differs: boolean;
  master_gain: number;
  cut_fade_s: number;
  layered_loops: string[];
  layered_loop_places: string[];
  stage: StagePlan;
  clicks: ClickTimes;
  felt: Columns | null;
  felt_more: Columns[];
  straight: Columns | null;
  straight_more: Columns[];
  revision: number;
  whole: boolean;
  timing: string;
  bars_s: number[];
  bar_beats: number[];
  spans: SongSpan[];
  layered_loops_at: LoopLayer[];
}

/** The song as it is, or after an edit. fragments: HTML to be swapped in. data: numbers the screen draws. */
export interface State {
  screen: string;
  fragments: string;
  data: any;
  added: number | null;
  made: number | null;
  playing: Playing | null;
  song: SongHeader;
  description: string;
  words: string;
}

/** An edit that met another one: what stands there now, and what was wanted, in words. now: the song as it is. */
export interface BothSides {
  error: string;
  theirs: string[];
  mine: string;
  now: State;
}

/** What sets a hit apart: in words, as strokes to draw (ms from it, velocity), and as it is stored. */
export interface Articulated {
  ornament?: string;
  strokes?: number;
  span_ticks?: number;
  spacing?: string;
  swell?: number;
  grace_ms?: number;
  tune_cents?: number;
  pan?: number;
  length_ticks?: number;
  odds_percent?: number;
  passes?: number;
  locked?: boolean;
  backwards?: boolean;
  fade_ms?: number;
  into?: string;
  room_percent?: number;
  words: string;
  drawn: number[][];
}

/** What the feel makes of a voice's hits, a row each: offset in ms, played velocity, and of every stage that moves one of them its ms (amounts) and velocity steps (accents). silent: rows that do not sound. */
export interface Lean {
  silent: number[];
  played: number[];
  offset: number[];
  amounts: Record<string, number[]>;
  accents: Record<string, number[]>;
}

/** A voice's hits, a row each. asked and articulated hold by row the few that ask for another sound or are not plain. */
export interface HitColumns {
  silent: number[];
  played: number[];
  offset: number[];
  amounts: Record<string, number[]>;
  accents: Record<string, number[]>;
  tick: number[];
  velocity: number[];
  own: number[];
  asked: Record<number, number>;
  articulated: Record<number, Articulated>;
}

/** Another part's hits by voice, as name, ticks, velocities and offsets in ms; seams: where its turns begin. cycle: ticks after which the same written places come again, 0 where it cannot be written in by place; why not. */
export interface OtherPart {
  part: number;
  step: number;
  cycle: number;
  why: string;
  voices: [string, number[], number[], number[]][];
  seams: number[];
}

/** Where the section begins in the pattern, how long a turn is (ticks), and whether the section plays it at all. */
export interface InSection {
  start: number;
  cycle: number;
  plays: boolean;
}

/** What the rails are drawn by: ticks of the pattern, its grids, bars and beats, what is locked, names by voice. */
export interface RailFacts {
  start: number;
  cycle: number;
  plays: boolean;
  length: number;
  step: number;
  steps: Record<string, number>;
  bar: number;
  beat: number;
  beats: number;
  compound: boolean;
  msPerTick: number;
  lockedVoices: string[];
  lockedPlaces: number[];
  names: Record<string, string>;
}

export interface WholeRailFacts {
  start: number;
  cycle: number;
  plays: boolean;
  length: number;
  step: number;
  steps: Record<string, number>;
  bar: number;
  beat: number;
  beats: number;
  compound: boolean;
  msPerTick: number;
  lockedVoices: string[];
  lockedPlaces: number[];
  names: Record<string, string>;
  others: OtherPart[];
  layers: Record<number, string>;
}

/** whole: of every rail, not only of some. */
export interface RailData {
  whole: boolean;
  facts: WholeRailFacts;
  hits: Record<string, HitColumns>;
}

/** What a slider that is being dragged would do. */
export interface FeelTried {
  revision: number;
  note: string;
  leans: Record<string, Lean>;
  pocket: string | null;
  playing: Playing;
}

export interface Moves {
  tick: number[];
  by: number[];
  was: number[];
  is: number[];
}

export interface Tightened {
  moves: Record<string, Moves>;
  count: number;
  hits: number;
  mean_was: number;
  mean_is: number;
  warning: string | null;
  proposed: string | null;
  proposed_name: string | null;
  proposed_ticks: number | null;
  revision: number;
}

/** A short line; picture: a stroke for each hit as share across, row from the top, share of full velocity. feel: where it is not straight; tempo_bpm: the slowest and fastest it is for, empty for any. */
export interface ShelfLine {
  key: string;
  name: string;
  group: string;
  metre: string;
  feel: string;
  tempo_bpm: number[];
  own: boolean;
  bars: number;
  voices: string[];
  picture: number[][];
}

export interface ShelfLines {
  lines: ShelfLine[];
  kept: string;
}

/** One step of the song's history. */
export interface Step {
  id: number;
  words: string;
  undone: boolean;
}

export interface Steps {
  changes: Step[];
}

export interface Snapshot {
  id: number;
  name: string;
}

export interface Snapshots {
  snapshots: Snapshot[];
  kept: number;
}

export interface Difference {
  kind: string;
  voice: string;
  tick: number;
}

/** Two versions as they play, and what differs. */
export interface Compared {
  one: Playing;
  other: Playing;
  marks: Difference[];
  words: string[];
  count: number;
}

/** By slot: offset and spread in ms, accent 0-1, how many hits it was taken from, whether it was guessed. */
export interface GrooveLane {
  offset: number[];
  accent: number[];
  spread: number[];
  count: number[];
  guessed: boolean[];
}

/** reach: ms from the middle to the edge of the picture. beats: of each slot, whether it is a beat. */
export interface GrooveData {
  id: number;
  slots: number;
  bars: number;
  reach: number;
  labels: string[];
  beats: boolean[];
  lane: string;
  lanes: Record<string, GrooveLane>;
}

/** across, up: its place, 0 to 1 from the left and from the foot. like, opposite: to the one compared with, 0-1. */
export interface GroovePoint {
  key: string;
  name: string;
  kind: string;
  words: string;
  across: number;
  up: number;
  like: number;
  opposite: number;
}

/** across, up: what the axes mean at their two ends. */
export interface GrooveMapData {
  points: GroovePoint[];
  across: string[];
  up: string[];
}

export interface StageOfIdea {
  name: string;
  bars: number;
}

/** begin, end: the ticks it is about, in the pattern with the idea. id: in the log, when it is pinned. */
export interface IdeaData {
  kind: string;
  key: string;
  words: string;
  tags: string[];
  traits: string[];
  seed: number;
  length_ticks: number;
  changes: StoredChange[];
  begin: number;
  end: number;
  stages: StageOfIdea[];
  line: string;
  id: number;
  state: string;
}

/** Hits that go and come, as rows (hits_json.py). */
export interface StoredChange {
  kind: string;
  gone: any[];
  come: any[];
  words: string;
}

/** cards: HTML. of: the idea each card shows. learned: from what was kept and dropped, in words. */
export interface IdeasAnswer {
  revision: number;
  ideas: IdeaData[];
  cards: string[];
  of: number[];
  words: string;
  learned: string;
}

export interface LoggedIdea {
  id: number;
  kind: string;
  state: string;
  words: string;
  seed: number;
  changes: number;
  key: string;
}

/** learned: from what was kept and dropped, in words. */
export interface IdeaLog {
  log: LoggedIdea[];
  learned: string;
}

/** Ticks of bar, pulse and pattern; goes_on: voices that usually go on through a fill. */
export interface IdeasData {
  bar: number;
  pulse: number;
  beats: number;
  usual_beats: number;
  length: number;
  bars: number;
  section: string;
  goes_on: string[];
  pinned: IdeaData[];
}

/** bright, long: 0-100 of the list's scales. path: a picture. new, certainty: of one that was just brought in. */
export interface SoundRow {
  id: number;
  name: string;
  role: string;
  role_name: string;
  source: string;
  bright: number;
  long: number;
  facts: string;
  path: string;
  favourite: boolean;
  in_use: boolean;
  removed: boolean;
  new: boolean;
  certainty: number;
}

export interface SoundsFound {
  total: number;
  offset: number;
  sounds: SoundRow[];
}

/** refused: in words what could not be used. */
export interface SoundsBrought {
  sounds: SoundRow[];
  refused: string[];
}

/** A sound that is tried: one hard hit, and the beat with it when that was asked for. */
export interface Tried {
  hit: Strike;
  playing: Playing | null;
}

/** The same beat on another kit, as loud as on its own. */
export interface Beside {
  name: string;
  gain_db: number;
  playing: Playing;
}

/** Hits of one sound: seconds in the file, strength 0-1, and how sure each belongs to it, 0-1. */
export interface HitGroup {
  name: string;
  voice: string;
  voice_name: string;
  glyph: string;
  times: number[];
  strength: number[];
  certainty: number[];
}

/** words: what they were told apart by, where that is not what drums they are. */
export interface HitGroups {
  groups: HitGroup[];
  unsure: number;
  words: string;
}

/** Of one voice against the loop, in ms: positive is later than the loop. */
export interface GapRow {
  voice: string;
  name: string;
  pairs: number;
  mean: number;
  size: number;
  gaps: number[];
}

/** A pair that is far apart: where, by how many ms, and when each sounds. */
export interface WorstGap {
  voice: string;
  tick: number;
  words: string;
  gap: number;
  stack_s: number;
  loop_s: number;
  heard_s: number;
  heard_gap_s: number;
}

/** The stack against the loop; then: the mean size of the gap after sitting in. stack, would, loop: seconds and loudness of each hit. */
export interface Against {
  revision: number;
  pairs: number;
  alone: number;
  size: number | null;
  then: number | null;
  moved: number;
  led: number;
  hits: number;
  rows: GapRow[];
  worst: WorstGap[];
  length_s: number;
  stack: number[][];
  would: number[][];
  loop: number[][];
}

/** Ids of what is looked at. */
export interface Seen {
  part: number;
  pattern: number;
  section: number;
}

/** By bar of the song: total 0-100 of the largest, hits a beat, level and brightness 0-1. */
export interface Energy {
  total: number[];
  density: number[];
  level: number[];
  brightness: number[];
}

/** Two parts that hit the same voice at the same time, and what is done about it. */
export interface CollisionRow {
  part: number;
  other: number;
  voice: string;
  choice: string;
  words: string;
}

/** own: names of what a varied section has of its own. joins: what leads over to the next. promise: a mark it does not keep, in words. */
export interface Section {
  id: number;
  name: string;
  bars: number;
  repeats: number;
  tempo_bpm: number | null;
  metre: string | null;
  first_bar: number;
  notes: string;
  mark: string;
  parent: number | null;
  parent_name: string;
  own: string[];
  joins: Record<string, unknown>[];
  join_words: string[];
  promise: string;
}

/** patterns: id, name and ticks of each. voices, crashes: voice and name. */
export interface Part {
  id: number;
  name: string;
  kit: string;
  kit_name: string;
  words: string;
  said: Record<string, any>;
  patterns: [number, string, number][];
  voices: [string, string][];
  crashes: [string, string][];
  muted: string[];
  cycle_ticks: number | null;
  step_ticks: number;
  start_shift_ticks: number;
  rotation_ticks: number;
  restarts: boolean;
  bars: string;
  pattern_order: number[];
  change_percent: number;
  seed: number;
  fills: boolean;
  level_db: number;
  mute: boolean;
  solo: boolean;
}

/** A cell in which the part rests. */
export interface Rest {
  rest: boolean;
  own: boolean;
  strokes: string;
}

/** pattern: its id, or "order". strokes: a picture of loudness 0-9 of so many equal stretches. */
export interface Cell {
  rest: boolean;
  own: boolean;
  strokes: string;
  pattern?: number | string;
  name?: string;
  muted?: string[];
  level_db?: number;
  feel?: Record<string, any>;
}

export interface SongLoop {
  id: number;
  name: string;
  sections: number[];
  muted: boolean;
  level_db: number;
  from_bar: number;
  to_bar: number;
}

/** written: every hit stands where it is played. cycles: name, shift and ticks of each part that turns; meet: ticks at which they begin together. grids: words by ticks. */
export interface SongData {
  seen: Seen;
  metre: string;
  tempo_bpm: number;
  bars: number;
  length_s: number;
  written: boolean;
  sections: Section[];
  parts: Part[];
  cells: Record<number, Record<number, Cell>>;
  loops: SongLoop[];
  energy: Energy;
  cycles: [string, number, number][];
  meet: number[];
  bar: number;
  together: string;
  collisions: CollisionRow[];
  kits: Record<string, string>;
  joins: Record<string, string>;
  grids: Record<string, string>;
  free_loops: [number, string][];
}

/** hidden, by: their places; words: what they share, and when. put: the place and the unit that would help, as they are sent; plan: the same for the page's graph; proposal: in words. pan, later_ms: where it would be moved to instead, to the side or in time. Null where no small change helps. */
export interface CrowdedPair {
  hidden: string;
  by: string;
  low_hz: number;
  high_hz: number;
  title: string;
  words: string;
  proposal: string;
  where: string;
  unit: Record<string, unknown> | null;
  plan: UnitPlan | null;
  pan: number | null;
  later_ms: number;
}

/** levels: by place, in dB at each of these pitches. */
export interface CrowdingData {
  hz: number[];
  levels: Record<string, number[]>;
  pairs: CrowdedPair[];
}

/** One pass of the loop. after, before: the largest size in dB of each column of a picture; takes: what the ceiling takes there. taken: what compressors take over the pass, in dB, by place and number among the units that are on. heard: loudness in LUFS of each sound, by its place. */
export interface Measured {
  revision: number;
  length_s: number;
  lufs: number;
  momentary_lufs: number;
  short_lufs: number;
  true_peak_db: number;
  matched_db: number;
  ceiling_db: number;
  ceiling_takes_db: number;
  ceiling_times: number;
  after: number[];
  before: number[];
  takes: number[];
  taken: Record<string, Record<number, number[]>>;
  heard: Record<string, number>;
  crowding: CrowdingData;
}

/** An alternate sound of a voice, by velocity. */
export interface OtherSound {
  audio: string[];
  sound: number[];
}

/** A voice under the hands: its sound by velocity (audio keys, and which of them is each velocity's), how loud each velocity is, where it stands, what it cuts off. others: its alternate sounds; strokes: further ones of its own sound, that sound in turn. note: its MIDI note. */
export interface Pad {
  voice: string;
  name: string;
  glyph: string;
  note: number;
  audio: string[];
  sound: number[];
  others: OtherSound[];
  strokes: OtherSound[];
  gain: number[];
  pan: number;
  place: string;
  choke: string;
}

/** Hits as columns: voice (an index), the slot they are written on in ticks, when they were played and how far off the feel in ms, velocity. played: how many hits were struck, bounces and grace strokes among them. */
export interface PassData {
  id: number;
  name: string;
  voice: number[];
  tick: number[];
  time_ms: number[];
  off_ms: number[];
  velocity: number[];
  played: number;
}

/** The result: hits as columns, off_ms what is left after the pull, key the pass each is from. */
export interface SewnData {
  voice: number[];
  tick: number[];
  off_ms: number[];
  velocity: number[];
  key: number[];
}

/** What is drawn of a take. glyphs: of its voices, in order. section: that went round, 0 for the pattern; song: the whole song went round, and this is what was played in that section. sews: rows of bar, pass, voice. seams: bars before which the pass changes; overlaps: those at which strokes cross. reasons: for each bar its steadiest pass, and why. */
export interface TakeData {
  id: number;
  name: string;
  section: number;
  song: boolean;
  start_tick: number;
  length_ticks: number;
  bar_ticks: number;
  beat_ticks: number;
  tick_ms: number;
  voices: string[];
  names: string[];
  glyphs: string[];
  passes: PassData[];
  sews: [number, number, string][];
  result: SewnData;
  seams: number[];
  overlaps: number[];
  pulls: Record<string, number>;
  reasons: [number, number, string][];
}

/** take: null before anything was played. columns: the voices under the hands, left to right, unless the player has chosen others for this kit. notes: which voice a MIDI note strikes. sections: their lengths in ticks. */
export interface TakesData {
  pads: Pad[];
  columns: string[];
  notes: Record<number, string>;
  sections: Record<number, number>;
  kit: string;
  part: number;
  bar_ticks: number;
  pattern_ticks: number;
  tick_ms: number;
  tempo_bpm: number;
  take: TakeData | null;
}

/** A performance for the simulated pad controller: times in s from the start of the first pass, MIDI notes and velocities; length_s of a pass. */
export interface QuayData {
  time_s: number[];
  note: number[];
  velocity: number[];
  length_s: number;
}

/** One way to read what was played to nothing. */
export interface FreeReadingData {
  tempo_bpm: number;
  length_ticks: number;
  start_ms: number;
  words: string;
}

export interface LatencyData {
  latency_ms: number;
  spread_ms: number;
  error_ms: number;
  counts: boolean[];
  words: string;
}

/** Put bars in before from_bar (one past the last: at the end), empty or as copies of the bars before them. */
export interface AddBarsEdit {
  kind: "add_bars";
  from_bar: number;
  bars: number;
  copies?: boolean;
}

/** Let a hit sound with an alternate sound of its voice, 1-4; 0 is the voice's own. */
export interface AlternateEdit {
  kind: "alternate";
  voice: string;
  tick: number;
  alternate: number;
}

/** The same articulation fields for all of these hits: {"ornament": "flam"}, {"locked": True}, ... */
export interface ArticulateEdit {
  kind: "articulate";
  places: [string, number][];
  values: ArticulationFields;
}

/** Articulation fields; what is not named stays as it is. */
export interface ArticulationFields {
  ornament?: string;
  strokes?: number;
  span_ticks?: number;
  spacing?: string;
  swell?: number;
  grace_ms?: number;
  tune_cents?: number;
  pan?: number;
  length_ticks?: number;
  odds_percent?: number;
  room_percent?: number;
  passes?: number;
  locked?: boolean;
  backwards?: boolean;
  fade_ms?: number;
  into?: string;
}

/** In these bars only these voices go on; the rest falls silent there. */
export interface BreakEdit {
  kind: "break";
  from_bar: number;
  bars: number;
  keep: string[];
}

/** Copy a cell, or a rest, with all that is set in it to other sections. */
export interface CellCopyEdit {
  kind: "cell_copy";
  part_id: number;
  from_id: number;
  to_ids: number[];
}

/** Set a field of the feel for one cell; null goes by the part again. */
export interface CellFeelEdit {
  kind: "cell_feel";
  section_id: number;
  part_id: number;
  field: "swing_percent" | "swing_unit" | "short_note_ms" | "template_id" | "timing_pull" | "accent_pull" | "groove_scales" | "push_ms" | "drift_ms" | "jitter_ms" | "touch" | "seed" | "runs_on" | "groove_on" | "groove_lane" | "ghost_percent" | "depth_percent" | "weaker_hand" | "density_percent";
  value: boolean | number | string | null;
}

/** Let a cell of a variation follow its parent's again. */
export interface CellFreeEdit {
  kind: "cell_free";
  section_id: number;
  part_id: number;
}

export interface CellLevelEdit {
  kind: "cell_level";
  section_id: number;
  part_id: number;
  value: number;
}

export interface CellMuteEdit {
  kind: "cell_mute";
  section_id: number;
  part_id: number;
  voice: string;
  value: boolean;
}

/** Which pattern the part plays in sections: an id, 0 for the part's own order, null for rest. */
export interface CellSetEdit {
  kind: "cell_set";
  section_ids: number[];
  part_id: number;
  pattern: number | null;
}

/** What is done where two parts strike a voice of their kit at one moment. */
export interface CollisionEdit {
  kind: "collision";
  part_id: number;
  other_id: number;
  voice: string;
  choice: "keep" | "drop" | "offset";
}

/** Take bars out, with what is written there; from_bar counts from 1. */
export interface DropBarsEdit {
  kind: "drop_bars";
  from_bar: number;
  bars: number;
}

/** One field of the feel of "stack", "part" or a voice; value None gives it back to what it inherits. */
export interface FeelEdit {
  kind: "feel";
  scope: string;
  field: "swing_percent" | "swing_unit" | "short_note_ms" | "template_id" | "timing_pull" | "accent_pull" | "groove_scales" | "push_ms" | "drift_ms" | "jitter_ms" | "touch" | "seed" | "runs_on" | "groove_on" | "groove_lane" | "ghost_percent" | "depth_percent" | "weaker_hand" | "density_percent";
  value: number | boolean | string | null;
}

/** What a slot of the part is; hits stay where they were written. */
export interface GridEdit {
  kind: "grid";
  grid: "8" | "8T" | "16" | "16T" | "32" | "quint";
}

/** Take a groove off the shelf; songs that use it keep it. */
export interface GrooveAwayEdit {
  kind: "groove_away";
  groove_id: number;
}

/** Make a groove of bars as they are played now, on the part's grid. */
export interface GrooveBarsEdit {
  kind: "groove_bars";
  name: string;
  from_bar: number;
  bars?: number;
}

/** Make a groove that is the weighted mean of (groove, share) pairs. */
export interface GrooveBlendEdit {
  kind: "groove_blend";
  name: string;
  shares: [number, number][];
}

/** Make a straight groove in the song's metre and tempo, to be drawn on. */
export interface GrooveDrawEdit {
  kind: "groove_draw";
  name: string;
  slots_per_bar: number;
  bars?: number;
}

/** A copy of a groove: "copy" as it is, "stretch" at half speed over twice its bars, "repeat" over `bars` bars. */
export interface GrooveLongerEdit {
  kind: "groove_longer";
  groove_id: number;
  how: "copy" | "stretch" | "repeat";
  bars?: number;
}

/** from_bars: the bars of the loop it is made of, none for all. put_on: the part leans on it at once. */
export interface GrooveLoopEdit {
  kind: "groove_loop";
  name: string;
  loop_id: number;
  bars?: 1 | 2 | 4 | 8;
  from_bars?: number[];
  per_beat?: number | null;
  put_on?: boolean;
}

/** Give a groove another name and description (at most 200 characters). */
export interface GrooveNameEdit {
  kind: "groove_name";
  groove_id: number;
  name: string;
  words?: string;
}

/** Slots of a lane as [slot from 0, offset in ms, accent 0-1], None leaving one as it is. */
export interface GrooveSlotsEdit {
  kind: "groove_slots";
  groove_id: number;
  lane: string;
  values: ([number, number | null, number | null])[];
}

export interface GuideAwayEdit {
  kind: "guide_away";
}

/** The song goes along with a guide whose tempo moves. new: sections are made of all its bars, each as long as its tempo holds; they come last and play what the section that is looked at plays. Else the sections that lie over it take its tempo. */
export interface GuideFollowEdit {
  kind: "guide_follow";
  new?: boolean;
}

/** The guide under the section that is looked at: under its first turn where the guide has begun. */
export interface GuideKeepBarsEdit {
  kind: "guide_keep_bars";
}

/** A section as long as a span of the guide, in s of its file, at the tempo that makes it whole bars: so section by section the song goes along with a guide whose tempo moves. It comes last, and plays what the section that is looked at plays. */
export interface GuideSectionEdit {
  kind: "guide_section";
  from_s: number;
  to_s: number;
}

/** What is None stays as it is. */
export interface GuideSetEdit {
  kind: "guide_set";
  start_s?: number | null;
  bar?: number | null;
  level_db?: number | null;
  muted?: boolean | null;
  solo?: boolean | null;
}

/** The song at the tempo that was found in the guide. */
export interface GuideTempoEdit {
  kind: "guide_tempo";
}

export interface HandAwayEdit {
  kind: "hand_away";
  hand_id: number;
}

/** A groove of the hand's leans and accents. */
export interface HandGrooveEdit {
  kind: "hand_groove";
  hand_id: number;
}

/** Learn a hand from passes of a take (none named: all of them) and keep it. */
export interface HandKeepEdit {
  kind: "hand_keep";
  take_id: number;
  pass_ids?: number[];
  name?: string;
}

export interface HandNameEdit {
  kind: "hand_name";
  hand_id: number;
  name: string;
}

/** The part is played by the hand: its leans as a groove, its accents, its drift, jitter and touch. */
export interface HandPlayEdit {
  kind: "hand_play";
  hand_id: number;
  part_id: number;
  accent_pull?: number;
}

/** stages: names and bars of sections before the one there is (a build-up). one_by_one: every change is a step of its own to undo. learn: what is learned from while it is in. */
export interface IdeaEdit {
  kind: "idea";
  what: "fill" | "variation" | "grow" | "roll" | "build" | "borrow" | "mix";
  words: string;
  changes: ChangeDoc[];
  length_ticks: number;
  stages?: Stage[];
  one_by_one?: boolean;
  learn?: LearnedFrom | null;
}

/** gone, come: hits as rows of voice, tick, velocity, offset in ms, and for some alternate and articulation. */
export interface ChangeDoc {
  kind: string;
  gone?: HitDoc[];
  come?: HitDoc[];
  words?: string;
}

export interface HitDoc {
  voice: string;
  tick: number;
  velocity: number;
  offset_ms?: number;
  alternate?: number;
  articulation?: ArticulationFields | null;
}

export interface Stage {
  name: string;
  bars: number;
}

/** The idea that is put in: its key and traits, from which is learned what is kept. */
export interface LearnedFrom {
  key: string;
  traits: string[];
}

/** A fill or pick-up of the program's own for the end of a section, which becomes a pattern of the part. */
export interface JoinDrawEdit {
  kind: "join_draw";
  section_id: number;
  part_id: number;
  what?: "fill" | "pickup";
  beats?: number;
  seed?: number;
  last_only?: boolean;
}

/** A fill made in Ideas for the selected pattern ends a section; the pattern stays as it is. learn: what is learned from while it does. */
export interface JoinIdeaEdit {
  kind: "join_idea";
  section_id: number;
  changes: ChangeDoc[];
  begin_tick: number;
  end_tick: number;
  last_only?: boolean;
  learn?: LearnedFrom | null;
}

/** All joins of a section, as they are wanted. */
export interface JoinsSetEdit {
  kind: "joins_set";
  section_id: number;
  joins: JoinDoc[];
}

export interface JoinDoc {
  kind: "fill" | "drop" | "crash" | "swell" | "pickup";
  part?: number;
  pattern?: number;
  voice?: string;
  beats?: number;
  velocity?: number;
  gap_ms?: number;
  fade_ms?: number;
  keep?: number[];
  last_only?: boolean;
}

/** One voice; note None gives it back to the kits. */
export interface KeyEdit {
  kind: "key";
  voice: string;
  note: number | null;
}

/** All voices: as their kits say, or General MIDI's. */
export interface KeysAllEdit {
  kind: "keys_all";
  like: "kits" | "general_midi";
}

/** The kit of the selected part. */
export interface KitEdit {
  kind: "kit";
  kit_key: string;
}

export interface KitAlternateEdit {
  kind: "kit_alternate";
  role: string;
  sound_id: number;
}

/** An alternate sound goes; those after it move up. */
export interface KitAlternateOffEdit {
  kind: "kit_alternate_off";
  role: string;
  alternate: number;
}

/** What a voice of a part's kit goes through before the song's own chain; it comes along with the kit. */
export interface KitChainEdit {
  kind: "kit_chain";
  part_id: number;
  role: string;
  chain: UnitDoc[];
}

export interface UnitDoc {
  kind: string;
  on?: boolean;
  settings?: Record<string, number | string>;
}

/** A voice's layers become one sound of the library, which takes their place. */
export interface KitFoldEdit {
  kind: "kit_fold";
  role: string;
  name: string;
}

/** The note tuned voices follow, 0 = C ... 11 = B; None for none. */
export interface KitKeyEdit {
  kind: "kit_key";
  key_note: number | null;
}

/** Several fields of a layer at once, as a handle or a proposal sets them. */
export interface KitLayerEdit {
  kind: "kit_layer";
  role: string;
  layer: number;
  values: Record<string, boolean | number | string | null>;
  alternate?: number;
}

/** A layer goes; the last one of a sound stays. */
export interface KitLayerOffEdit {
  kind: "kit_layer_off";
  role: string;
  layer: number;
  alternate?: number;
}

/** Give every voice its General MIDI note again. */
export interface KitMidiEdit {
  kind: "kit_midi";
}

/** One control of a layer's model, or "room". */
export interface KitModelEdit {
  kind: "kit_model";
  role: string;
  layer: number;
  control: string;
  value: number;
  alternate?: number;
}

export interface KitNameEdit {
  kind: "kit_name";
  name: string;
}

/** A kit of one's own on the part: a copy of the one there, or one with a first sound of the library for every voice the part has. For the song: a copy on each of its parts that play on that kit. */
export interface KitNewEdit {
  kind: "kit_new";
  name: string;
  source: "copy" | "new" | "song";
}

/** A sound of the library on a layer; layer None: one layer more. */
export interface KitPutEdit {
  kind: "kit_put";
  role: string;
  layer?: number | null;
  alternate?: number;
  sound_id: number;
}

/** One setting of a voice. */
export interface KitVoiceEdit {
  kind: "kit_voice";
  role: string;
  field: string;
  value: boolean | number | string | null;
}

/** A voice goes; the last one of a kit stays. */
export interface KitVoiceOffEdit {
  kind: "kit_voice_off";
  role: string;
}

/** A voice more for the kit, with a sound of the library (none chosen: the first of that role). */
export interface KitVoiceOnEdit {
  kind: "kit_voice_on";
  role: string;
  sound_id?: number | null;
}

/** To a place in the order, from 0. */
export interface KitVoicePlaceEdit {
  kind: "kit_voice_place";
  role: string;
  place: number;
}

/** The loop plays under the stack, as it is by itself; or (there: False) no longer. */
export interface LayeredLoopEdit {
  kind: "layered_loop";
  loop_id: number;
  there: boolean;
}

/** Whether a loop plays in a section. One that went by its bars plays in all sections before. */
export interface LayeredLoopCellEdit {
  kind: "layered_loop_cell";
  loop_id: number;
  section_id: number;
  there: boolean;
}

/** Set one thing of how a loop plays under the stack; what is out of range is refused. */
export interface LayeredLoopSetEdit {
  kind: "layered_loop_set";
  loop_id: number;
  field: "how" | "speed" | "pitch_semitones" | "level_db" | "low_cut_hz" | "muted" | "from_bar" | "to_bar" | "section_id" | "cycle_ticks" | "start_ticks" | "to" | "strength_percent" | "template_id" | "duck_voice" | "duck_db" | "duck_hold_ms" | "duck_release_ms";
  value: number | boolean | string | null;
}

/** Give the pattern so many bars. Doubling copies what is there; shortening refuses to drop hits silently. */
export interface LengthEdit {
  kind: "length";
  bars: number;
}

/** A length of any number of ticks; what lies behind it goes, what is new is empty. */
export interface LengthTicksEdit {
  kind: "length_ticks";
  length_ticks: number;
}

/** Lock these hits, or free them. */
export interface LockHitsEdit {
  kind: "lock_hits";
  places: [string, number][];
  locked: boolean;
}

/** Lock the place in every bar that `tick` lies on, on all rows, or free it. */
export interface LockPlaceEdit {
  kind: "lock_place";
  tick: number;
  locked: boolean;
}

/** Lock a whole row, written or not, or free it. */
export interface LockVoiceEdit {
  kind: "lock_voice";
  voice: string;
  locked: boolean;
}

/** Out of the bin: a loop that was removed, as it was. */
export interface LoopBackEdit {
  kind: "loop_back";
  loop_id: number;
}

/** A loop's hits on the song's kit: "replace" the pattern, or "join" what is written (hits in the same place stay). tempo: the song goes at the loop's. */
export interface LoopBeatEdit {
  kind: "loop_beat";
  loop_id: number;
  how: "replace" | "join";
  tempo?: boolean;
}

/** One correction of what was heard. */
export interface LoopCorrectEdit {
  kind: "loop_correct";
  loop_id: number;
  change: Sensitivity | Pace | Bars | One | AddHit | MoveHit | RemoveHit | KeepHit | Ignore | Regard | Follow | AsHeard | GroupCount | GroupVoice | GroupSplit | GroupMerge | GroupMove;
}

export interface Sensitivity {
  kind: "sensitivity";
  value: number;
}

/** Half or double the tempo. */
export interface Pace {
  kind: "half" | "double";
}

export interface Bars {
  kind: "bars";
  bars: number;
  metre: string;
}

export interface One {
  kind: "one";
  time_s: number;
}

export interface AddHit {
  kind: "add";
  time_s: number;
}

/** Move a hit to the attack near a place, or exact: to the place itself. */
export interface MoveHit {
  kind: "move";
  time_s: number;
  to_s: number;
  exact?: boolean;
}

export interface RemoveHit {
  kind: "remove";
  time_s: number;
}

/** Confirm a doubtful hit. */
export interface KeepHit {
  kind: "keep";
  time_s: number;
}

/** Ignore every hit in a span. */
export interface Ignore {
  kind: "ignore";
  time_s: number;
  to_s: number;
}

/** Count the ignored span around this place again. */
export interface Regard {
  kind: "regard";
  time_s: number;
}

/** Follow a tempo that moves: every bar gets a line of its own, where its hits are (or not). */
export interface Follow {
  kind: "follow";
  follows: boolean;
}

/** Give up every correction. */
export interface AsHeard {
  kind: "as_heard";
}

/** Sort the hits into so many groups by sound anew; 0: as many as there seem to be. */
export interface GroupCount {
  kind: "group_count";
  count: number;
}

/** What a group is on a kit; voice "": it is left out of what is written. */
export interface GroupVoice {
  kind: "group_voice";
  group: number;
  voice: string | "";
}

export interface GroupSplit {
  kind: "group_split";
  group: number;
}

export interface GroupMerge {
  kind: "group_merge";
  group: number;
  into: number;
}

/** Move a hit from one group to another, or out of its group (to: None). stays: it is two sounds at once, and is in both groups. */
export interface GroupMove {
  kind: "group_move";
  time_s: number;
  group: number;
  to: number | null;
  stays?: boolean;
}

/** Bars of a loop as a loop of its own, the first counted from 1. */
export interface LoopKeepBarsEdit {
  kind: "loop_keep_bars";
  loop_id: number;
  from_bar: number;
  bars: number;
}

export interface LoopTakeEdit {
  kind: "loop_take";
  loop_id: number;
}

/** part_id: 0 for the selected part. */
export interface MixEdit {
  kind: "mix";
  part_id?: number;
  voice: string;
  field: "level_db" | "pan" | "mute" | "solo";
  value: number | boolean;
}

/** Move a hit to another place, another voice, or both; its velocity and own offset go with it. */
export interface MoveEdit {
  kind: "move";
  voice: string;
  tick: number;
  to_voice: string;
  to_tick: number;
}

/** Hits to other places and voices, as (voice, tick, to voice, to tick), or copies of them. A hit that lies where one arrives makes way. */
export interface MoveManyEdit {
  kind: "move_many";
  moves: [string, number, string, number][];
  copies?: boolean;
}

export interface NameEdit {
  kind: "name";
  name: string;
}

/** Each hit's own offset by so many ms. */
export interface NudgeEdit {
  kind: "nudge";
  places: [string, number][];
  by_ms: number;
}

/** Set a hit's own offset in ms, negative = early. */
export interface OffsetEdit {
  kind: "offset";
  voice: string;
  tick: number;
  offset_ms: number;
}

/** A hit on each of these ticks that has none. */
export interface PaintEdit {
  kind: "paint";
  voice: string;
  ticks: number[];
  velocity?: number;
}

/** Add a part: from nothing (an empty bar, and the kit's first two rails), from a line of the shelf, or from a loop's hits at their true places. */
export interface PartAddEdit {
  kind: "part_add";
  kit_key: string;
  name?: string;
  line?: string;
  loop_id?: number;
}

/** The same hits on another kit, some voices muted; it plays where the other one does. */
export interface PartCopyEdit {
  kind: "part_copy";
  part_id: number;
  kit_key: string;
  muted?: string[];
}

/** Two parts become the first of them: for every section a pattern of what both play there. It keeps its own kit and feel; cycles, orders and marks are carried out in the patterns. */
export interface PartMergeEdit {
  kind: "part_merge";
  part_id: number;
  other_id: number;
}

/** Move a part to a place among the parts, counted from 0. */
export interface PartMoveEdit {
  kind: "part_move";
  part_id: number;
  to: number;
}

/** Set one field of a part; the core refuses what is out of range. */
export interface PartSetEdit {
  kind: "part_set";
  part_id: number;
  field: "cycle_ticks" | "start_shift_ticks" | "rotation_ticks" | "restarts" | "bars" | "pattern_order" | "change_percent" | "seed" | "name" | "step_ticks" | "fills" | "level_db" | "mute" | "solo" | "kit_key";
  value: boolean | number | string | number[] | null;
}

/** A loop cut into slices, as a part of this song on a kit of its own, each named by what it sounds like. */
export interface PartSlicesEdit {
  kind: "part_slices";
  loop_id: number;
  by?: "hits" | "grid";
}

/** One part for each of its voices, each with the part's rules, feel and cells; the first keeps its place. */
export interface PartSplitEdit {
  kind: "part_split";
  part_id: number;
}

export interface PartTakeEdit {
  kind: "part_take";
  part_id: number;
}

/** Hits put down with the first at `tick`; what reaches past the end is left out. What lies there makes way. */
export interface PasteEdit {
  kind: "paste";
  hits: [string, number, number, number, number, ArticulationFields][];
  tick: number;
}

/** Another pattern of a part: empty as long as a bar, or a copy of one of its patterns. */
export interface PatternAddEdit {
  kind: "pattern_add";
  part_id: number;
  copy_of?: number | null;
}

export interface PatternNameEdit {
  kind: "pattern_name";
  part_id: number;
  pattern_id: number;
  name: string;
}

/** Remove a pattern; refused while it is played somewhere. */
export interface PatternTakeEdit {
  kind: "pattern_take";
  part_id: number;
  pattern_id: number;
}

/** What is heard of a place becomes audio. bars 0: all that are left. mute: what was printed rests from then on. speed, pitch_semitones: of a loop. name: "" for one that says what it is. */
export interface PrintEdit {
  kind: "print";
  where: string;
  to: "loop" | "slices" | "sound";
  of?: "loop" | "song";
  from_bar?: number;
  bars?: number;
  chains?: boolean;
  rooms?: boolean;
  speed?: number;
  pitch_semitones?: number;
  mute?: boolean;
  name?: string;
}

/** Insert a line of the shelf from a place on. */
export interface PutLineEdit {
  kind: "put_line";
  key: string;
  start_tick?: number;
}

/** The voices the groove reaches; all of the part's: as it was by itself. */
export interface ReachEdit {
  kind: "reach";
  voices: string[];
}

/** A hit goes. */
export interface RemoveEdit {
  kind: "remove";
  voice: string;
  tick: number;
}

/** Before each of these hits, a sound of `voice` that runs backwards and ends where the hit falls. length_ticks before the hit; before the first bar it begins at the end of the loop. It has the velocity and the own offset of the hit, so it ends with it whatever the feel does. A hit that stands where it begins is a conflict. */
export interface ReverseIntoEdit {
  kind: "reverse_into";
  places: [string, number][];
  voice: string;
  length_ticks: number;
}

/** A voice's hits to another voice, so many ticks later (negative: earlier), round the pattern's end. */
export interface RowCopyEdit {
  kind: "row_copy";
  voice: string;
  to_voice: string;
  shift_ticks?: number;
}

/** A hit on every n-th slot from a place to the end of the pattern; replace: what else the row has there goes. */
export interface RowEveryEdit {
  kind: "row_every";
  voice: string;
  start_tick: number;
  step_ticks: number;
  every: number;
  velocity?: number;
  replace?: boolean;
}

/** `hits` hits as evenly as they go over `slots` slots from a place on, turned by so many slots. What the row has there goes. Again and again to the end of the pattern. After Toussaint (2005). */
export interface RowSpreadEdit {
  kind: "row_spread";
  voice: string;
  start_tick: number;
  step_ticks: number;
  hits: number;
  slots: number;
  turned?: number;
  velocity?: number;
}

/** Leave this many percent of a row's hits, chosen by chance; the same seed leaves the same ones. */
export interface RowThinEdit {
  kind: "row_thin";
  voice: string;
  percent: number;
  seed: number;
}

/** Turn a row round. "reverse": the last slot becomes the first. "mirror": the second half becomes the first, backwards. "later" or "earlier": by one slot, round the end. */
export interface RowTurnEdit {
  kind: "row_turn";
  voice: string;
  how: string;
  step_ticks: number;
}

/** Add a section after another one; 0: at the end. how: "empty", a "copy" of it, or a "variation" that goes along with it. */
export interface SectionAddEdit {
  kind: "section_add";
  after_id?: number;
  how?: "empty" | "copy" | "variation";
}

/** A variation becomes a section by itself, sounding as it does. */
export interface SectionFreeEdit {
  kind: "section_free";
  section_id: number;
}

/** A section and the one after it become one, under the first one's name and with what it plays; it ends as the second one did. */
export interface SectionJoinEdit {
  kind: "section_join";
  section_id: number;
}

/** Move a section to a place among the sections, counted from 0. */
export interface SectionMoveEdit {
  kind: "section_move";
  section_id: number;
  to: number;
}

export interface SectionNameEdit {
  kind: "section_name";
  section_id: number;
  name: string;
}

/** Rows of a section and how many of its bars were played, one after another. The first time a section is played whole it stands there itself; other times, and those it was left early, become copies of it. Sections that were not played come after all others. */
export interface SectionOrderEdit {
  kind: "section_order";
  played: [number, number][];
}

/** Set one field of a section; null gives it back to the song, or to the section it is a variation of. */
export interface SectionSetEdit {
  kind: "section_set";
  section_id: number;
  field: "name" | "bars" | "repeats" | "tempo_bpm" | "metre" | "notes" | "mark";
  value: string | number | null;
}

/** A section begins at this bar of the song, counted from 1: the one it lies in ends before it. */
export interface SectionSplitEdit {
  kind: "section_split";
  bar: number;
}

/** Sections before a section that build up to it ("up"), or after it that take it apart ("down"). */
export interface SectionStagesEdit {
  kind: "section_stages";
  section_id: number;
  stages?: number;
  bars?: number;
  way?: "up" | "down";
}

/** Remove a section; variations of it keep what they had from it, as their own. */
export interface SectionTakeEdit {
  kind: "section_take";
  section_id: number;
}

/** A shape over one value of these hits. line, curve: from `start` to `end`, the curve bent by `bend` (-1 to 1). wave: between them, `count` times. steps: `weights` as values, one after another. random: anywhere from `start` to `end`, by `seed`. scale: by `amount` percent of what it is. compress: `amount` percent toward the mean (negative: away from it). fixed: all to `start`. limit: none below `start` or above `end`. humanize: up to `amount` either way by `seed`, the order of loud and quiet kept. tilt: the first hit down and the last one up by `amount`. shift: all by `amount`. accents: `figure`, or `weights` (-1 to 1 for each slot of a bar) when it is "own", times `amount`. */
export interface ShapeEdit {
  kind: "shape";
  field: string;
  places: [string, number][];
  shape: string;
  start?: number;
  end?: number;
  bend?: number;
  count?: number;
  amount?: number;
  seed?: number;
  figure?: string;
  weights?: number[];
  step_ticks?: number;
}

export interface SitInEdit {
  strength_percent: number;
  voices?: string[];
  step_ticks?: number;
  kind: "sit_in";
  loop_id: number;
}

export interface SnapshotBackEdit {
  kind: "snapshot_back";
  snapshot_id: number;
}

/** Exactly these voices soloed; none: all sound again. */
export interface SoloOnlyEdit {
  kind: "solo_only";
  voices: string[];
}

/** The sections as they were before the song was written out; what was written out stays with the parts. */
export interface SongBackEdit {
  kind: "song_back";
}

/** One linear pattern per part, and a section for every turn; the sections there were are kept to go back to. */
export interface SongFlatEdit {
  kind: "song_flat";
}

/** The whole pattern over twice its length (factor 2), or half of it (0.5). */
export interface SpeedEdit {
  kind: "speed";
  factor: number;
}

/** One more unit at the end of a chain. */
export interface StageAddEdit {
  kind: "stage_add";
  where: string;
  unit: UnitDoc;
}

export interface StageCeilingEdit {
  kind: "stage_ceiling";
  ceiling_db: number;
}

/** All units of a place, in order. */
export interface StageChainEdit {
  kind: "stage_chain";
  where: string;
  chain: UnitDoc[];
}

/** Make a group (key ""), or change its name and what is in it; with no members it is taken away. */
export interface StageGroupEdit {
  kind: "stage_group";
  key?: string;
  name: string;
  members: string[];
}

/** All hits of a voice so many ms later than they are (negative: earlier): its push in the feel. */
export interface StageLaterEdit {
  kind: "stage_later";
  where: string;
  later_ms: number;
}

/** The level of a voice or a loop in one section; null: as in the song. */
export interface StageLevelEdit {
  kind: "stage_level";
  where: string;
  section_id: number;
  level_db: number | null;
}

/** A sound moved on the floor: its pan and how much of it goes to a room, in one step. section_id: what goes to the room is that of the section; a sound has one pan. */
export interface StageMoveEdit {
  kind: "stage_move";
  where: string;
  pan: number;
  to: "short" | "long" | "echo";
  percent: number;
  section_id?: number | null;
}

/** All of the Stage on or off; the ceiling stays. */
export interface StageOnEdit {
  kind: "stage_on";
  on: boolean;
}

/** Settings of a room or of the echo; what is not named stays. */
export interface StageReturnEdit {
  kind: "stage_return";
  name: "short" | "long" | "echo";
  settings: Record<string, number | string>;
}

/** A section sounds as the song does again: one of its places, or (where "") all of them. */
export interface StageSectionClearEdit {
  kind: "stage_section_clear";
  section_id: number;
  where?: string;
}

/** How much of a place goes to a room or the echo; in one section only, if one is named. */
export interface StageSendEdit {
  kind: "stage_send";
  where: string;
  to: "short" | "long" | "echo";
  percent: number;
  section_id?: number | null;
}

/** Other settings of the Stage are heard; those that were never made begin as a copy. */
export interface StageSettingsEdit {
  kind: "stage_settings";
  to: "A" | "B" | "C";
  name?: string;
}

/** Settings of one unit of a chain, or whether it is on; what is not named stays. section_id: it is on or off in that section only. */
export interface StageUnitEdit {
  kind: "stage_unit";
  where: string;
  at: number;
  settings?: Record<string, number | string>;
  on?: boolean | null;
  section_id?: number | null;
}

/** These hits (none: all) on the nearest slot without an offset of their own; the feel stays. A hit off the grid goes to the slot that is nearest to its tick, if its voice has none there. */
export interface StraightAgainEdit {
  kind: "straight_again";
  places: [string, number][];
  step_ticks: number;
}

/** Spread chosen hits to twice their distances from start_tick (factor 2), or draw them to half (0.5). */
export interface StretchEdit {
  kind: "stretch";
  places: [string, number][];
  factor: number;
  start_tick: number;
}

export interface TakeAwayEdit {
  kind: "take_away";
  take_id: number;
}

export interface TakeNameEdit {
  kind: "take_name";
  take_id: number;
  name: string;
}

/** One time round that was played in: rows of voice, ms from where the bars begin, velocity. take_id: 0 for the newest of the part. fresh, or other bars: a new take. mode: "new" a pass of its own, "top" on top of the last one, "place" in place of it. last: nothing was played after it. from_bar, to_bar: only these bars were to be played in, counted from 1 (0: all). pull_percent: how far hits are pulled to the slots as they are played. section_id: the section that went round, 0 for the pattern. */
export interface TakePassEdit {
  kind: "take_pass";
  take_id?: number;
  start_tick?: number;
  length_ticks: number;
  tempo_bpm: number;
  hits: ([string, number, number] | [string, number, number, number])[];
  mode?: "new" | "top" | "place";
  source?: string;
  last?: boolean;
  fresh?: boolean;
  section_id?: number;
  from_bar?: number;
  to_bar?: number;
  pull_percent?: number;
}

export interface TakePassAwayEdit {
  kind: "take_pass_away";
  take_id: number;
  pass_id: number;
}

export interface TakePassNameEdit {
  kind: "take_pass_name";
  take_id: number;
  pass_id: number;
  name: string;
}

/** How hits are read: what counts as a bounce, the grid (0: guessed), how far voices are pulled to it. What is None stays as it is. */
export interface TakeSetEdit {
  kind: "take_set";
  take_id: number;
  bounce_ms?: number | null;
  step_ticks?: number | null;
  pulls?: Record<string, number> | null;
}

/** Bars from..to (from 0) come from a pass; 0 leaves them out. voice: "" for all voices. */
export interface TakeSewEdit {
  kind: "take_sew";
  take_id: number;
  from_bar: number;
  to_bar: number;
  pass_id: number;
  voice?: string;
}

/** One time through the song that was played in: rows of voice, ms from its start, velocity. length_ms: how long the song was. Everything else as of a pass (takes.py); bars are counted through the song. */
export interface TakeSongPassEdit {
  kind: "take_song_pass";
  length_ms: number;
  hits: ([string, number, number] | [string, number, number, number])[];
  mode?: "new" | "top" | "place";
  source?: string;
  last?: boolean;
  from_bar?: number;
  to_bar?: number;
  pull_percent?: number;
}

/** The sewn results of all sections of one time through the song, each into a new pattern that its section plays. */
export interface TakeSongWriteEdit {
  kind: "take_song_write";
  take_id: number;
}

/** Each bar from the pass that is steadiest there. */
export interface TakeSteadiestEdit {
  kind: "take_steadiest";
  take_id: number;
}

/** The sewn result into the pattern that is looked at, into a new pattern of the part, or each pass (four at most) into a pattern of its own. */
export interface TakeWriteEdit {
  kind: "take_write";
  take_id: number;
  to?: "pattern" | "new" | "passes";
}

export interface TempoEdit {
  kind: "tempo";
  tempo_bpm: number;
}

export interface TightenEdit {
  target: "grid" | "swing" | "groove";
  strength_percent: number;
  leave_alone_ms?: number;
  step_ticks: number;
  swing_percent?: number;
  swing_unit?: number;
  template_id?: number | null;
  places?: [string, number][];
  kind: "tighten";
}

/** Turn chosen hits round within the span they take. "reverse", "mirror" (rows upside down), "later" or "earlier" by a slot, round the span's ends. */
export interface TurnEdit {
  kind: "turn";
  places: [string, number][];
  how: string;
  step_ticks: number;
  start_tick: number;
  end_tick: number;
}

/** One value for each of these hits. step_ticks: the slot a ratchet fills. */
export interface ValuesEdit {
  kind: "values";
  field: string;
  values: [string, number, number][];
  step_ticks?: number;
}

/** A hit gets another velocity, 1 to 127. */
export interface VelocityEdit {
  kind: "velocity";
  voice: string;
  tick: number;
  velocity: number;
}

/** Give the part a voice's rail, or take away one without hits. */
export interface VoiceEdit {
  kind: "voice";
  voice: string;
  there: boolean;
}

/** A row's own grid: as for the part, "part" for the part's, or "off". */
export interface VoiceGridEdit {
  kind: "voice_grid";
  voice: string;
  grid: "8" | "8T" | "16" | "16T" | "32" | "quint" | "part" | "off";
}

/** These hits away; places without a hit are passed over. */
export interface WipeEdit {
  kind: "wipe";
  places: [string, number][];
}

/** A new hit; one that is there already gets the velocity. */
export interface WriteEdit {
  kind: "write";
  voice: string;
  tick: number;
  velocity?: number;
}

/** The feel becomes the hits: of the whole stack (nothing of the feel is left), or of one voice, whose feel is then set so that its hits stay. The part has the same hits as the stack as long as a song has one part. */
export interface WriteInEdit {
  kind: "write_in";
  scope: string;
}

export type Edit = AddBarsEdit | AlternateEdit | ArticulateEdit | BreakEdit | CellCopyEdit | CellFeelEdit | CellFreeEdit | CellLevelEdit | CellMuteEdit | CellSetEdit | CollisionEdit | DropBarsEdit | FeelEdit | GridEdit | GrooveAwayEdit | GrooveBarsEdit | GrooveBlendEdit | GrooveDrawEdit | GrooveLongerEdit | GrooveLoopEdit | GrooveNameEdit | GrooveSlotsEdit | GuideAwayEdit | GuideFollowEdit | GuideKeepBarsEdit | GuideSectionEdit | GuideSetEdit | GuideTempoEdit | HandAwayEdit | HandGrooveEdit | HandKeepEdit | HandNameEdit | HandPlayEdit | IdeaEdit | JoinDrawEdit | JoinIdeaEdit | JoinsSetEdit | KeyEdit | KeysAllEdit | KitEdit | KitAlternateEdit | KitAlternateOffEdit | KitChainEdit | KitFoldEdit | KitKeyEdit | KitLayerEdit | KitLayerOffEdit | KitMidiEdit | KitModelEdit | KitNameEdit | KitNewEdit | KitPutEdit | KitVoiceEdit | KitVoiceOffEdit | KitVoiceOnEdit | KitVoicePlaceEdit | LayeredLoopEdit | LayeredLoopCellEdit | LayeredLoopSetEdit | LengthEdit | LengthTicksEdit | LockHitsEdit | LockPlaceEdit | LockVoiceEdit | LoopBackEdit | LoopBeatEdit | LoopCorrectEdit | LoopKeepBarsEdit | LoopTakeEdit | MixEdit | MoveEdit | MoveManyEdit | NameEdit | NudgeEdit | OffsetEdit | PaintEdit | PartAddEdit | PartCopyEdit | PartMergeEdit | PartMoveEdit | PartSetEdit | PartSlicesEdit | PartSplitEdit | PartTakeEdit | PasteEdit | PatternAddEdit | PatternNameEdit | PatternTakeEdit | PrintEdit | PutLineEdit | ReachEdit | RemoveEdit | ReverseIntoEdit | RowCopyEdit | RowEveryEdit | RowSpreadEdit | RowThinEdit | RowTurnEdit | SectionAddEdit | SectionFreeEdit | SectionJoinEdit | SectionMoveEdit | SectionNameEdit | SectionOrderEdit | SectionSetEdit | SectionSplitEdit | SectionStagesEdit | SectionTakeEdit | ShapeEdit | SitInEdit | SnapshotBackEdit | SoloOnlyEdit | SongBackEdit | SongFlatEdit | SpeedEdit | StageAddEdit | StageCeilingEdit | StageChainEdit | StageGroupEdit | StageLaterEdit | StageLevelEdit | StageMoveEdit | StageOnEdit | StageReturnEdit | StageSectionClearEdit | StageSendEdit | StageSettingsEdit | StageUnitEdit | StraightAgainEdit | StretchEdit | TakeAwayEdit | TakeNameEdit | TakePassEdit | TakePassAwayEdit | TakePassNameEdit | TakeSetEdit | TakeSewEdit | TakeSongPassEdit | TakeSongWriteEdit | TakeSteadiestEdit | TakeWriteEdit | TempoEdit | TightenEdit | TurnEdit | ValuesEdit | VelocityEdit | VoiceEdit | VoiceGridEdit | WipeEdit | WriteEdit | WriteInEdit;
