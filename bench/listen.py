"""How well and how fast loops are heard, beside a general audio library's onset and beat detection."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

import numpy as np

from bench.clock import median_ms
from bench.made_loops import write_made
from bench.own_loops import write_loops
from easy_pocket.core.formats.analysis_json import analysis_doc
from easy_pocket.core.formats.audio_file import read_audio
from easy_pocket.core.listen.loop_analysis import analyze_loop

SHARED = Path(os.environ.get("EASY_POCKET_LOOPS") or Path(__file__).resolve().parent.parent.parent / "shared" / "loops")
SCORER = SHARED.parent / "tools" / "score_loops.py"


def run() -> None:
    with tempfile.TemporaryDirectory() as scratch:
        folder = SHARED if SHARED.is_dir() else Path(scratch)
        if folder != SHARED:
            write_loops(folder)
        results = Path(scratch) / "results"
        results.mkdir()
        audios = {}
        for truth_file in sorted(folder.glob("*.truth.json")):
            truth = json.loads(truth_file.read_text())
            audio = read_audio(folder / truth["file"], truth["file"])
            audios[truth["name"]] = audio
            (results / f"{truth['name']}.json").write_text(json.dumps(analysis_doc(analyze_loop(audio), truth["name"])))
        print(f"loops: {folder.name}, {len(audios)} of them")
        score = _scored if SCORER.is_file() else _score
        score(folder, results)
        theirs = Path(scratch) / "theirs"
        if _heard_by_librosa(audios, theirs):
            print("the same loops, heard by librosa (onset_detect, beat_track):")
            score(folder, theirs)
        _speed(audios)
        _made(Path(scratch), score)


def _made(scratch: Path, score: Callable[[Path, Path], None]) -> None:
    """Forty loops nobody has tuned to, with overlaps, ghosts, reverb, bass, clipping, noise and ragged ends."""
    folder, results = scratch / "made", scratch / "made_results"
    write_made(folder, 40, 1)
    results.mkdir()
    soft = found = quiet = right = 0
    for truth_file in sorted(folder.glob("*.truth.json")):
        truth = json.loads(truth_file.read_text())
        heard = analyze_loop(read_audio(folder / truth["file"], truth["file"]))
        (results / f"{truth['name']}.json").write_text(json.dumps(analysis_doc(heard, truth["name"])))
        times, length = heard.onsets.time_s, truth["duration_s"]
        struck = np.array([hit["time_s"] for hit in truth["hits"]])
        apart = np.abs((times[:, None] - struck[None] + length / 2) % length - length / 2)
        alone = np.array([(np.abs(struck - one) < 0.03).sum() == 1 for one in struck])
        ghosts = alone & np.array([hit["velocity"] <= 50 for hit in truth["hits"]])
        soft, found = soft + ghosts.sum(), found + (apart.min(axis=0)[ghosts] < 0.025).sum()
        low = heard.onsets.strength < 10 ** (-18 / 20)
        quiet, right = quiet + low.sum(), right + (apart.min(axis=1)[low] < 0.025).sum()
    print("forty loops made anew (bench/made_loops.py, seed 1):")
    score(folder, results)
    print(f"soft hits struck alone: {found} of {soft} found; quiet hits heard: {right} of {quiet} were struck")


def _scored(folder: Path, results: Path) -> None:
    print(subprocess.run([sys.executable, SCORER, folder, results], capture_output=True, text=True).stdout)


def _heard_by_librosa(audios: dict, results: Path) -> bool:
    """Its onsets and tempo, as results to be scored like ours; it reads no bars and gives no template."""
    try:
        import librosa
    except ImportError:
        return False
    results.mkdir()
    for name, audio in audios.items():
        mono = np.ascontiguousarray(audio.mono())
        onsets = librosa.onset.onset_detect(y=mono, sr=audio.rate_hz, units="time", hop_length=128)
        tempo, _ = librosa.beat.beat_track(y=mono, sr=audio.rate_hz)
        doc = {
            "tempo_bpm": float(np.atleast_1d(tempo)[0]),
            "beats_per_bar": 4,
            "bars": 0,
            "onsets": [{"time_s": float(time_s)} for time_s in onsets],
        }
        (results / f"{name}.json").write_text(json.dumps(doc))
    return True


def _score(folder: Path, results: Path) -> None:
    """The main figures, where no scorer is at hand: onsets within 10 ms, timing, tempo, template."""
    for truth_file in sorted(folder.glob("*.truth.json")):
        truth = json.loads(truth_file.read_text())
        found = json.loads((results / f"{truth['name']}.json").read_text())
        length = truth["duration_s"]
        reference = _merged([hit["time_s"] for hit in truth["hits"]])
        heard = np.array([onset["time_s"] for onset in found["onsets"]])
        apart = (heard[None, :] - reference[:, None] + length / 2) % length - length / 2
        nearest = np.abs(apart).min(axis=1)
        recall, precision = (nearest < 0.01).mean(), (np.abs(apart).min(axis=0) < 0.01).mean()
        f_score = 2 * recall * precision / max(recall + precision, 1e-9)
        error_ms = 1000 * np.median(nearest[nearest < 0.025])
        tempo_ok = abs(found["tempo_bpm"] / truth["tempo_bpm"] - 1) < 0.01
        words = (
            f"tempo {'right' if tempo_ok else 'wrong'}  bars {'right' if found['bars'] == truth['bars'] else 'wrong'}"
        )
        print(f"{truth['name']:16} F10 {f_score:.3f}  median error {error_ms:.2f} ms  {words}")


def _merged(times: list[float]) -> np.ndarray:
    kept: list[float] = []
    for time in sorted(times):
        if not kept or time - kept[-1] > 0.03:
            kept.append(time)
    return np.array(kept)


def _speed(audios: dict) -> None:
    seconds = sum(audio.duration_s for audio in audios.values())
    ours = sum(median_ms(lambda audio=audio: analyze_loop(audio), 5) for audio in audios.values()) / 1000
    print(f"speed: {seconds:.1f} s of audio heard in {ours * 1000:.0f} ms, {seconds / ours:.0f} x real time")
    try:
        import librosa
    except ImportError:
        print("librosa is not installed here: no comparison")
        return
    monos = {name: np.ascontiguousarray(audio.mono()) for name, audio in audios.items()}

    def theirs(name: str) -> None:
        rate = audios[name].rate_hz
        librosa.onset.onset_detect(y=monos[name], sr=rate)
        librosa.beat.beat_track(y=monos[name], sr=rate)

    other = sum(median_ms(lambda name=name: theirs(name), 5) for name in monos) / 1000
    print(f"librosa onset_detect + beat_track in the same run: {other * 1000:.0f} ms, {other / ours:.2f} x our time")
