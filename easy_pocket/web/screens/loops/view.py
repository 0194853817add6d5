"""A loop as the Loops screen draws it: waveform, hits, bar map, facts."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from easy_pocket.core.formats.analysis_json import group_names
from easy_pocket.core.formats.audio_file import AudioFacts
from easy_pocket.core.listen.beat_check import beat_doubt
from easy_pocket.core.listen.drifting_tempo import measured_tempi_bpm
from easy_pocket.core.listen.groove import found_swing_percent, slots_and_offsets
from easy_pocket.core.listen.loop_analysis import Corrections, LoopAnalysis
from easy_pocket.core.listen.reading import Reading, counted_beats
from easy_pocket.core.listen.reading_reasons import COMPOUND_GRIDS, GRIDS, is_close, reasons
from easy_pocket.core.listen.typical_bars import proposals
from easy_pocket.core.text import counted
from easy_pocket.store.loops.loops import analysis_from_doc, corrections_from_doc
from easy_pocket.store.schema.tables import LoopRow
from easy_pocket.web.screens.bench.rails_view import offset_words
from easy_pocket.web.screens.loops.loop_map import LoopMap, lean

SURE = 0.6
FEWEST_FOLLOWED = 4  # hits, to tell the tempo of a bar by
SURE_PERCENT = 70  # a hit less sure than this is doubtful
LABELLED_BARS = 4  # up to so many bars every beat has its number


@dataclass(frozen=True)
class WaveHit:
    index: int
    time_s: float
    group: str
    lean: str
    added: bool
    label: str
    sure: int = 100  # percent
    doubted: bool = False


@dataclass(frozen=True)
class OtherReading:
    words: str
    share: str
    bars: int
    metre: str
    chosen: bool
    reasons: str = ""


class WaveLine(NamedTuple):
    """A line of the grid: "bar", "beat" or "slot". beat: which it is, counted from 0 at bar one; None for a slot."""

    time_s: float
    kind: str
    label: str
    beat: int | None


class LoopView:
    """What the template asks for."""

    def __init__(self, row: LoopRow, audio: AudioFacts) -> None:
        heard: LoopAnalysis = analysis_from_doc(row.found)
        corrections: Corrections = corrections_from_doc(row.overruled)
        reading = heard.reading
        self.row = row
        self.onsets = heard.onsets
        self.corrections = corrections
        self.reading = reading
        self.beats_per_bar = reading.slots_per_bar // reading.grid.per_beat
        self.duration_s = audio.duration_s
        rate = f"{audio.rate_hz / 1000:g} kHz {'mono' if audio.channels == 1 else 'stereo'}"
        self.facts = f"{audio.duration_s:.2f} s · {rate} · {counted(len(heard.onsets), 'hit')}"
        self.tempo = f"{reading.tempo_bpm:.1f}"
        self.doubt = beat_doubt(heard.onsets, reading)
        self.certainty = self._certainty()
        self.bars = f"{reading.bars} × {reading.metre}"
        names = COMPOUND_GRIDS if reading.metre.compound else GRIDS
        self.grid = names[reading.grid.per_beat]
        self.fit = f"{max(reading.fit, 0) * 100:.0f} %"
        swing = found_swing_percent(heard.onsets, reading)
        self.swing = "none" if swing is None else f"{swing:.1f} %"
        self.rate_hz = audio.rate_hz
        self.lines = self._lines(reading)
        self.hits = self._hits(heard)
        self.doubtful = [hit for hit in self.hits if hit.doubted]
        self.map = LoopMap(heard)
        self.slot_choices = list((COMPOUND_GRIDS if reading.metre.compound else GRIDS).items())
        self.readings = self._readings(heard)
        self.proposals = proposals(heard.onsets, reading)
        counts = group_names(heard.onsets)
        self.groups = [(name, counts.count(name)) for name in ("low", "mid", "high")]

    def _certainty(self) -> str:
        decided = self.corrections.bars is not None or self.corrections.metre is not None
        if decided:
            return "set by you"
        if not len(self.onsets):
            return "not heard"
        if self.doubt and not self.reading.drifts:
            return "no steady beat"
        sure = "sure" if self.reading.confidence >= SURE else f"perhaps ({self.reading.confidence * 100:.0f} %)"
        if not self.reading.drifts:
            return sure
        slowest, fastest = self.reading.tempo_range_bpm
        return f"moves {slowest:.1f}–{fastest:.1f}, {sure}"

    def _lines(self, reading: Reading) -> list[WaveLine]:
        """Grid lines over the waveform."""
        lines = []
        per_bar = reading.slots_per_bar
        first = -int(reading.bar_one_s // reading.slot_s) if reading.trimmed else 0
        slots = np.arange(first, per_bar * reading.bars + 1)
        for slot, time_s in zip(slots.tolist(), reading.time_at(slots).tolist(), strict=True):
            if not -1e-6 <= time_s <= self.duration_s + 1e-6:
                continue
            kind = "bar" if slot % per_bar == 0 else "beat" if slot % reading.grid.per_beat == 0 else "slot"
            bar, inside = divmod(slot, per_bar)
            label = f"{bar % reading.bars + 1}.{inside // reading.grid.per_beat + 1}"
            if kind == "slot" or (kind == "beat" and reading.bars > LABELLED_BARS) or slot == per_bar * reading.bars:
                label = ""  # beats of many bars would stand on each other; the end of the last bar is no bar
            beat = slot // reading.grid.per_beat
            if slot != per_bar * reading.bars:
                beat %= reading.bars * per_bar // reading.grid.per_beat  # a trimmed loop goes round
            lines.append(WaveLine(round(time_s, 6), kind, label, None if kind == "slot" else beat))
        return lines

    def _hits(self, heard: LoopAnalysis) -> list[WaveHit]:
        slot, offset_ms = slots_and_offsets(heard.onsets, heard.reading)
        groups = group_names(heard.onsets)
        added = np.asarray(self.corrections.added_s)
        certainty = heard.onsets.certainty
        confirmed = np.array([*self.corrections.added_s, *self.corrections.kept_s])
        hits = []
        for index, time_s in enumerate(heard.onsets.time_s.tolist()):
            offset = float(offset_ms[index])
            bar, inside = divmod(int(slot[index]), heard.reading.slots_per_bar)
            beat = inside // heard.reading.grid.per_beat + 1
            hits.append(
                WaveHit(
                    index=index,
                    time_s=time_s,
                    group=groups[index],
                    lean=lean(offset),
                    added=bool(len(added) and np.abs(added - time_s).min() < 1e-6),
                    label=f"hit {index + 1} · {time_s:.4f} s · {groups[index]} · {offset_words(offset)}, "
                    f"bar {bar + 1} beat {beat} · strength {heard.onsets.level[index] * 100:.0f} % · "
                    f"sure {certainty[index] * 100:.0f} %",
                    sure=round(100 * float(certainty[index])),
                    doubted=bool(100 * certainty[index] < SURE_PERCENT) and not _near(confirmed, time_s),
                )
            )
        return hits

    def _readings(self, heard: LoopAnalysis) -> list[OtherReading]:
        seen: dict[tuple[int, str], OtherReading] = {}
        close = is_close(heard.readings)
        for reading in heard.readings:
            key = (reading.bars, str(reading.metre))
            words = f"{reading.tempo_bpm:.1f} bpm · {reading.bars} × {reading.metre}"
            chosen = key == (heard.reading.bars, str(heard.reading.metre))
            share = f"{reading.confidence * 100:.0f} %"
            why = "; ".join(reasons(heard.onsets, reading)) if close and len(seen) < 2 else ""
            seen.setdefault(key, OtherReading(words, share, reading.bars, str(reading.metre), chosen, why))
        return [reading for reading in seen.values() if reading.chosen or reading.share != "0 %"][:4]

    @property
    def tempo_map(self) -> list[tuple[int, str, float]]:
        """Bar, its tempo as its hits have it, and how far that is between slowest and fastest, in percent; empty for a
        loop of a bar."""
        if self.reading.bars < 2 or len(self.onsets) < FEWEST_FOLLOWED:
            return []
        tempi = measured_tempi_bpm(self.onsets, self.reading)
        slowest, span = float(tempi.min()), max(float(np.ptp(tempi)), 1e-9)
        rows = enumerate(tempi.tolist(), 1)
        return [(bar, f"{tempo:.2f}", round(100 * (tempo - slowest) / span)) for bar, tempo in rows]

    @property
    def player(self) -> dict[str, float]:
        """Where the loop's music starts in its file and how long one turn of it is."""
        reading = self.reading
        start_s = reading.bar_one_s
        length_s = self.duration_s if reading.trimmed else reading.length_s
        return {
            "start_s": start_s,
            "length_s": length_s,
            "tempo_bpm": reading.tempo_bpm,
            "duration_s": self.duration_s,
            "wraps": reading.trimmed,
            "beat_s": reading.beat_s,
            "beats": counted_beats(reading.metre),
        }


def _near(times_s: np.ndarray, time_s: float) -> bool:
    return bool(len(times_s) and np.abs(times_s - time_s).min() < 0.002)
