"""SFZ as the format says it: a strict reader that shares nothing with ours, over every way a kit is written."""

from __future__ import annotations

import io
import re
import wave
import zipfile
from dataclasses import replace

import numpy as np
import pytest

from easy_pocket.core.formats.exchange import KitToWrite
from easy_pocket.core.formats.sfz import read_sfz
from easy_pocket.core.formats.sfz_writing import SfzOptions, write_sfz
from easy_pocket.core.sound.house_kits import HOUSE_KITS
from easy_pocket.core.sound.kit import voice_audio
from easy_pocket.core.sound.velocity import gains
from easy_pocket.samples import house_kits, shipped_samples
from tests.core.test_sfz import rich_kit
from tests.drums import one_stroke, written_sfz

WHOLE = {"key": (0, 127), "lovel": (0, 127), "hivel": (0, 127), "group": (-(2**31), 2**31), "off_by": (-(2**31), 2**31),
         "sw_lokey": (0, 127), "sw_hikey": (0, 127), "sw_default": (0, 127), "sw_last": (0, 127),
         "seq_length": (1, 100), "seq_position": (1, 100)}  # fmt: skip
REAL = {"volume": (-144, 6), "pan": (-100, 100), "pitch_random": (0, 9600), "amp_random": (0, 24), "off_time": (0, 100)}
WORDS = {"loop_mode": {"no_loop", "one_shot", "loop_continuous", "loop_sustain"},
         "off_mode": {"fast", "normal", "time"}}  # fmt: skip
HEADERS = ("control", "global", "group", "region")


def checked(name, text):
    """The value of an opcode; fails for one there is none of, or out of its bounds."""
    if name in WHOLE:
        assert re.fullmatch(r"-?\d+", text), (name, text)
        low, high = WHOLE[name]
        assert low <= int(text) <= high, (name, text)
        return int(text)
    if name in REAL or re.fullmatch(r"amp_velcurve_\d+", name):
        low, high = REAL.get(name, (0, 1))
        if name not in REAL:
            assert 1 <= int(name.rpartition("_")[2]) <= 127
        assert re.fullmatch(r"-?\d+(\.\d+)?", text), (name, text)
        assert low <= float(text) <= high, (name, text)
        return float(text)
    if name in WORDS:
        assert text in WORDS[name], (name, text)
        return text
    assert name in ("sample", "default_path", "group_label"), name
    assert text
    return text


def strict(data):
    """Regions with everything they have from <global> and <group>, and the files. Fails at the first fault."""
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        files = {name: archive.read(name) for name in archive.namelist()}
    (name,) = [one for one in files if one.endswith(".sfz")]
    text = files.pop(name).decode("ascii")
    inherited, folder = {header: {} for header in HEADERS}, ""
    at, regions, given = None, [], []
    for line in text.splitlines():
        line = line.split("//")[0].strip()
        while line:
            header = re.match(r"<(\w+)>\s*", line)
            if header:
                at = header[1]
                assert at in HEADERS, at
                for later in HEADERS[HEADERS.index(at) :]:
                    inherited[later] = {}
                if at == "region":
                    regions.append({})
                    given.append({**inherited["global"], **inherited["group"]})
                line = line[header.end() :]
                continue
            opcode = re.match(r"(\w+)=(.*?)(?=\s+\w+=|$)", line)
            assert opcode, line
            assert at, line
            value = checked(opcode[1], opcode[2].strip())
            target = regions[-1] if at == "region" else inherited[at]
            assert opcode[1] not in target, f"{opcode[1]} twice"
            if opcode[1] == "default_path":
                folder = value
            elif opcode[1] == "sample":
                value = folder + value
            target[opcode[1]] = value
            line = line[opcode.end() :].strip()
    return [{**above, **own} for above, own in zip(given, regions, strict=True)], files


def recording(data):
    """Samples of a WAV by the standard library, shape (frames, channels)."""
    with wave.open(io.BytesIO(data)) as file:
        assert (file.getsampwidth(), file.getframerate()) == (3, 44_100)
        raw = np.frombuffer(file.readframes(file.getnframes()), dtype=np.uint8).reshape(-1, 3)
        whole = (raw[:, 2].astype(np.int8).astype(np.int32) << 16) | (raw[:, 1].astype(np.int32) << 8) | raw[:, 0]
        return whole.reshape(-1, file.getnchannels()) / 2**23


WAYS = [{}, {"turns": "round_robin"}, {"chains": "printed"}, {"chains": "printed", "turns": "round_robin"}]
DRIVEN = {"kind": "drive", "on": True, "settings": {"amount_percent": 60.0}}
TONED = {"kind": "tone", "on": True, "settings": {"high_cut_hz": 2000.0}}
ECHOED = {"kind": "echo", "on": True, "settings": {"mix_percent": 40.0}}
GATED = {"kind": "gate", "on": True, "settings": {}}


def with_chain(kit, role, *chain):
    voices = tuple(replace(voice, chain=chain) if voice.role == role else voice for voice in kit.voices)
    return replace(kit, voices=voices)


def chained_kit():
    return with_chain(with_chain(rich_kit(), "snare", TONED, DRIVEN), "kick", DRIVEN)


@pytest.mark.parametrize("way", WAYS, ids=lambda way: "-".join(way.values()) or "plain")
@pytest.mark.parametrize("kit", [rich_kit(), chained_kit(), *house_kits().values()], ids=lambda kit: kit.name)
def test_every_kit_is_strict_sfz_and_each_stroke_finds_one_sample(kit, way):
    regions, files = strict(written_sfz(kit, shipped_samples, **way))
    assert len(regions) == len(files)
    for voice in kit.voices:
        mine = [one for one in regions if one["key"] == voice.midi_note]
        in_turn = way.get("turns") == "round_robin"
        turns = min(len(voice.sounds), 5) if in_turn else len(voice.alternates) + 1
        if turns > 1 and way.get("turns") == "round_robin":
            assert {one["seq_length"] for one in mine} == {turns}
            by_turn = [[one for one in mine if one["seq_position"] == turn + 1] for turn in range(turns)]
        elif turns > 1:
            first = mine[0]["sw_default"]
            assert first == mine[0]["sw_lokey"]
            assert not {voice.midi_note for voice in kit.voices} & set(range(first, mine[0]["sw_hikey"] + 1))
            by_turn = [[one for one in mine if one["sw_last"] == first + turn] for turn in range(turns)]
        else:
            by_turn = [mine]
        for own in by_turn:
            struck = [velocity for one in own for velocity in range(one["lovel"], one["hivel"] + 1)]
            assert sorted(struck) == list(range(1, 128)), voice.role
        cut = [one.get("off_by") == one.get("group") and "group" in one for one in mine]
        assert all(cut) if voice.choke_group or not voice.rings else not any(cut)
    for one in regions:
        path = one["sample"]
        assert ".." not in path
        assert not path.startswith("/")
        assert np.abs(recording(files[path])).max() > 0


@pytest.mark.parametrize("way", WAYS[:2], ids=["switch", "round robin"])
def test_what_is_read_back_has_the_same_sounds_in_turn(way):
    kit = one_stroke(rich_kit())
    read = read_sfz(written_sfz(kit, shipped_samples, **way), "x.zip").kit
    assert [len(voice.alternates) for voice in read.voices] == [len(voice.alternates) for voice in kit.voices]


def loudness(frames):
    return 10 * np.log10((frames**2).mean())


def test_a_printed_chain_is_heard_in_the_samples_and_left_ones_are_not():
    kit = with_chain(HOUSE_KITS["boathouse"], "hat_closed", TONED)
    bare = strict(written_sfz(kit, shipped_samples))[1]
    assert all(np.array_equal(recording(bare[f"samples/hat_closed-{n}.wav"]),
                              recording(strict(written_sfz(HOUSE_KITS["boathouse"], shipped_samples))[1][
                                  f"samples/hat_closed-{n}.wav"])) for n in (1, 8))  # fmt: skip
    printed = strict(written_sfz(kit, shipped_samples, chains="printed"))[1]
    was, now = (recording(files["samples/hat_closed-8.wav"]) for files in (bare, printed))
    hz = np.fft.rfftfreq(len(was), 1 / 44_100)
    high = [np.abs(np.fft.rfft(x[: len(was), 0]))[hz > 6000].mean() for x in (was, now)]
    assert high[1] < 0.1 * high[0]
    assert np.array_equal(recording(bare["samples/kick-8.wav"]), recording(printed["samples/kick-8.wav"]))


def test_drive_hears_each_stretch_as_loud_as_it_is_struck():
    kit = with_chain(HOUSE_KITS["boathouse"], "snare", DRIVEN)
    voice = kit.voice("snare")
    regions, files = strict(written_sfz(kit, shipped_samples, chains="printed"))
    curve, changes = gains(voice.velocity_level), []
    for number in (0, 7):
        plain = voice_audio(voice, number, shipped_samples)
        mine = next(one for one in regions if one["sample"].endswith(f"snare-{number + 1}.wav"))
        driven = recording(files[f"samples/snare-{number + 1}.wav"]) * 10 ** ((mine["volume"] - voice.level_db) / 20)
        crest = [float(np.abs(x).max() / np.sqrt((x**2).mean())) for x in (plain, driven[: len(plain)])]
        changes.append(crest[1] / crest[0])
    assert curve[127] > curve[1]
    assert changes[1] < changes[0]  # the loud one is squashed more


def test_an_echo_rings_on_in_time_and_what_moves_with_the_music_is_left_out_and_said():
    kit = with_chain(HOUSE_KITS["boathouse"], "rim", ECHOED, GATED)
    written = write_sfz(KitToWrite(kit, shipped_samples, tempo_bpm=90.0), SfzOptions(chains="printed"))
    assert written.remarks == ("Rim: gate is left out, for it moves with the music.",)
    files = strict(written.data)[1]
    plain = voice_audio(kit.voice("rim"), 7, shipped_samples)
    assert len(recording(files["samples/rim-8.wav"])) > len(plain) + 44_100


def test_a_kit_louder_than_the_format_goes_is_softer_as_a_whole_and_says_so():
    boat = HOUSE_KITS["boathouse"]
    voices = tuple(replace(voice, level_db=9.5) if voice.role == "kick" else voice for voice in boat.voices)
    written = write_sfz(KitToWrite(replace(boat, voices=voices), shipped_samples))
    assert written.remarks == ("The kit is 3.5 dB softer as a whole: SFZ has no louder voices than +6 dB.",)
    volumes = {one["key"]: one["volume"] for one in strict(written.data)[0]}
    assert volumes[36] == 6.0
    assert volumes[38] == pytest.approx(boat.voice("snare").level_db - 3.5, abs=1e-5)
