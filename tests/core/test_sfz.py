"""Kits out and in as SFZ: the same sound, whatever is there, and words for the rest."""

import io
import zipfile
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import ArchiveRefusedError, KitRefusedError
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.formats.archive import plain_path, write_archive
from easy_pocket.core.formats.audio_file import read_audio, write_audio
from easy_pocket.core.formats.sfz import read_sfz
from easy_pocket.core.formats.sfz_text import parse_sfz
from easy_pocket.core.formats.sounds_zip import write_one_shots
from easy_pocket.core.sound.events import play_events
from easy_pocket.core.sound.house_kits import HOUSE_KITS
from easy_pocket.core.sound.kit import Kit, KitVoice, voice_audio
from easy_pocket.core.sound.layer import Layer
from easy_pocket.core.sound.mixdown import mixdown
from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.samples import dry_dock, shipped_samples
from tests.drums import ROCK, beat, one_stroke, written_sfz

NET_LOFT = HOUSE_KITS["net_loft"]


def rich_kit():
    """Layers, ranges, drive, chokes, a map and a velocity response of its own."""
    signal, boat = HOUSE_KITS["signal_box"], HOUSE_KITS["boathouse"]
    snare = KitVoice(
        "snare",
        (
            Layer(boat.voice("snare").layers[0].sound, "body", level_db=-2.0),
            Layer(signal.voice("clap").layers[0].sound, "clap", delay_ms=7.0, velocity_low=91),
            Layer(dry_dock().voice("snare").layers[0].sound, "crack", low_cut_hz=900.0, tune_cents=150.0),
        ),
        level_db=-3.5,
        pan=-0.21,
        drive=0.4,
        velocity_level=0.8,
        velocity_bright=0.6,
        note=40,
        name="Harbour snare",
        alternates=(
            (Layer(boat.voice("rim").layers[0].sound, "rim", level_db=-1.5),),
            tuple(Layer(signal.voice(role).layers[0].sound, role) for role in ("snare", "clap")),
        ),
    )
    return Kit("rich", "Rich", (signal.voice("kick"), snare, boat.voice("hat_closed"), boat.voice("hat_open")))


def mix(kit, samples):
    pattern = beat({**ROCK, "hat_open": "..............x.|..............x."})
    snares = [hit for hit in pattern.hits if hit.voice == "snare"]
    asked = {hit: replace(hit, alternate=number % 3) for number, hit in enumerate(snares)}  # the snare of each turn
    pattern = replace(pattern, hits=tuple(asked.get(hit, hit) for hit in pattern.hits))
    performance = perform(pattern, tempo_bpm=104)
    return mixdown(play_events(performance, kit), kit, performance.length_ms / 1000, samples=samples).samples


def zipped(sfz, **samples):
    files = {f"kit/{name}.wav": write_audio(Audio(x, RATE_HZ, name), "WAV", 24) for name, x in samples.items()}
    return write_archive({"kit/My Kit.sfz": sfz.encode(), **files})


def thump(hz=80.0, seconds=0.2, level=0.7):
    t = np.arange(int(seconds * RATE_HZ)) / RATE_HZ
    return (level * np.sin(2 * np.pi * hz * t) * np.exp(-t / 0.06)).astype(np.float32)


@pytest.mark.parametrize(
    "kit",
    [one_stroke(rich_kit()), one_stroke(HOUSE_KITS["boathouse"]), dry_dock()],
    ids=["rich", "boathouse", "dry dock"],
)
def test_a_kit_written_and_read_again_sounds_the_same(kit):
    read = read_sfz(written_sfz(kit, shipped_samples), "kit.zip")
    assert read.remarks == []
    assert read.kit.roles == kit.roles
    assert [len(voice.alternates) for voice in read.kit.voices] == [len(voice.alternates) for voice in kit.voices]
    was, now = mix(kit, shipped_samples), mix(read.kit, read.audio.__getitem__)
    null_db = 10 * np.log10(((was - now) ** 2).mean() / (was**2).mean())
    assert null_db < -80


def test_what_a_voice_is_called_mapped_and_cut_by_comes_back():
    read = read_sfz(written_sfz(rich_kit(), shipped_samples), "kit.zip").kit
    snare = read.voice("snare")
    assert (snare.name, snare.note, snare.level_db) == ("Harbour snare", 40, -3.5)
    assert snare.velocity_level == pytest.approx(0.8, abs=0.002)
    assert snare.pan == pytest.approx(-0.21)
    assert read.voice("hat_closed").choke_group == read.voice("hat_open").choke_group is not None


def test_switches_take_keys_that_no_voice_has():
    kit = rich_kit()
    kick = replace(kit.voice("kick"), note=2)
    with zipfile.ZipFile(io.BytesIO(written_sfz(replace(kit, voices=(kick, kit.voice("snare")))))) as archive:
        text = archive.read(archive.namelist()[0]).decode()
    assert "sw_lokey=3" in text
    assert "sw_default=3" in text
    assert text.count("sw_last=4 ") == len(kit.voice("snare").alternate(1).stretches)


def test_one_shots_come_out_as_loud_as_they_play():
    kit = replace(NET_LOFT, voices=NET_LOFT.voices[:2])
    with zipfile.ZipFile(io.BytesIO(write_one_shots(kit))) as archive:
        names = archive.namelist()
        audio = read_audio(archive.read(names[1]), "x")
    assert names == ["Net Loft/Kick.wav", "Net Loft/Low conga.wav"]
    np.testing.assert_allclose(audio.samples, voice_audio(kit.voices[1], 7), atol=1e-6)


def test_inheritance_defaults_and_defines():
    text = parse_sfz(
        b"""// a comment
<control> default_path=samples/
#define $KEY 38
<global> volume=-3
<group> key=$KEY lovel=1
<region> sample=soft one.wav hivel=63   // inline
<region> sample=hard.wav lovel=64 volume=1
<group> key=c2
<region> sample=kick.wav""",
        "x.sfz",
    )
    assert [r["sample"] for r in text.regions] == ["samples/soft one.wav", "samples/hard.wav", "samples/kick.wav"]
    assert [r["volume"] for r in text.regions] == ["-3", "1", "-3"]
    assert [r.get("lovel") for r in text.regions] == ["1", "64", None]
    assert text.regions[2]["key"] == "c2"


def test_what_is_missing_or_loops_is_listed_and_the_rest_comes_in():
    read = read_sfz(
        zipped(
            """<region> key=36 sample=kick.wav loop_mode=loop_continuous
<region> key=38 sample=snare.wav
<region> key=42 sample=hat.wav trigger=release
<region> key=46 sample=hat.wav""",
            kick=thump(),
            hat=thump(6000, 0.05),
        ),
        "my.zip",
    )
    assert read.kit.name == "My Kit"
    assert set(read.kit.roles) == {"kick", "hat_open"}
    words = " ".join(read.remarks)
    assert "snare.wav is named but not in the zip" in words
    assert "kick.wav goes round in a loop; here it sounds once" in words
    assert "A region for release was left out: hat.wav" in words


def test_overlapping_velocities_become_layers_and_turns_become_alternates():
    read = read_sfz(
        zipped(
            """<group> key=38
<region> sample=a.wav seq_length=2 seq_position=1 lovel=1 hivel=90
<region> sample=b.wav seq_length=2 seq_position=1 lovel=60
<region> sample=c.wav seq_length=2 seq_position=2""",
            a=thump(200),
            b=thump(300),
            c=thump(400),
        ),
        "my.zip",
    )
    snare = read.kit.voice("snare")
    assert len(snare.layers) == 2
    assert len(snare.alternates) == 1
    assert (snare.layers[1].velocity_low, snare.layers[1].velocity_high) == (60, 127)


def test_a_kit_far_from_our_level_is_moved_to_it_as_a_whole():
    quiet = zipped(
        "<region> key=36 sample=a.wav\n<region> key=38 sample=b.wav volume=-6",
        a=thump(60, level=0.02),
        b=thump(200, level=0.02),
    )
    read = read_sfz(quiet, "my.zip")
    kick, snare = read.kit.voice("kick"), read.kit.voice("snare")
    assert abs(kick.layers[0].level_db + snare.layers[0].level_db) < 1e-6  # the middle of the two is 0
    assert snare.level_db == -6.0


@pytest.mark.parametrize(
    ("data", "error", "words"),
    [
        (b"no zip", ArchiveRefusedError, "no zip file"),
        (write_archive({"a.wav": b"x"}), KitRefusedError, "holds no .sfz file"),
        (write_archive({"a.sfz": b"hello"}), KitRefusedError, "holds no <region>"),
        (write_archive({"a.sfz": b"\0\1\2"}), KitRefusedError, "no text file"),
        (
            write_archive({"a.sfz": b"<region> key=36 sample=x.wav"}),
            KitRefusedError,
            "x.wav is named but not in the zip",
        ),
        (write_archive({"a.sfz": b"<region> sample=x.wav" * 5000}), KitRefusedError, "more than 4096 regions"),
    ],
    ids=["no zip", "no sfz", "no region", "binary", "no sample", "too many"],
)
def test_files_that_are_no_kit_are_refused_in_words(data, error, words):
    with pytest.raises(error, match=words):
        read_sfz(data, "kit.zip")


@given(st.binary(max_size=400))
def test_no_text_whatever_breaks_the_reader(data):
    try:
        parse_sfz(b"<region> sample=a.wav " + data, "x.sfz")
    except KitRefusedError:
        return


def test_names_never_become_paths():
    assert plain_path("..\\..\\etc/./Passwd") == "etc/Passwd"
    assert plain_path("a/b/../c.wav") == "a/c.wav"
    kick = write_audio(Audio(thump(), RATE_HZ), "WAV")
    files = {"x/k.sfz": b"<region> key=36 sample=..\\..\\x\\KICK.wav", "x/kick.wav": kick}
    read = read_sfz(write_archive(files), "my.zip")
    assert read.kit.roles == ("kick",)
