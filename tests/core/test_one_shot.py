"""One-shots brought in: trimmed, levelled, told apart, and refused in words when they cannot be used."""

import io
import zipfile

import numpy as np
import pytest
import soundfile

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import ArchiveRefusedError, AudioRefusedError
from easy_pocket.core.formats.sound_files import import_sounds
from easy_pocket.core.sound.house_kits import HOUSE_KITS
from easy_pocket.core.sound.kit import voice_audio
from easy_pocket.core.sound.one_shot import content_key, one_shot
from easy_pocket.core.sound.role import guess_roles
from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.samples import dry_dock, shipped_samples
from tests.core.fresh_kits import FRESH_KITS


def hit(role="snare", kit="boathouse"):
    return voice_audio(HOUSE_KITS[kit].voice(role), 7)


def file_bytes(x, rate=RATE_HZ, kind="WAV", subtype="PCM_24"):
    out = io.BytesIO()
    soundfile.write(out, x, rate, format=kind, subtype=subtype)
    return out.getvalue()


def zipped(files):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in files.items():
            archive.writestr(name, content)
    return out.getvalue()


def test_the_start_is_trimmed_to_the_attack():
    x = hit()
    late = np.concatenate([np.zeros((13_230, 1)), x])
    ready = one_shot(Audio(late.astype(np.float32), RATE_HZ, "late.wav"))
    first = int(np.flatnonzero(np.abs(ready) >= 0.9 * 10 ** (-40 / 20))[0])
    assert first <= 0.0015 * RATE_HZ
    assert np.abs(ready).max() == pytest.approx(0.9, abs=1e-3)


def test_the_same_hit_in_another_file_is_the_same_sound():
    x = hit() * 0.5
    ready = {
        content_key(one_shot(Audio(audio.astype(np.float32), RATE_HZ, "x")))
        for audio in (x, np.concatenate([np.zeros((999, 1)), x]), np.repeat(x, 2, axis=1))
    }
    assert len(ready) == 1


def test_two_sides_out_of_phase_stay_two_sides():
    x = np.concatenate([hit(), -hit()], axis=1)
    ready = one_shot(Audio(x, RATE_HZ, "opposed.wav"))
    assert ready.shape[1] == 2
    assert np.abs(ready).max() > 0.8


def test_rates_and_depths_come_to_ours():
    x = hit()
    up = np.repeat(x, 2, axis=0)
    ready, _ = import_sounds(file_bytes(up, 2 * RATE_HZ), "studio.wav")
    assert ready[0].frames.shape[0] == pytest.approx(len(one_shot(Audio(x, RATE_HZ, "x"))), abs=900)


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "is empty"),
        (b"hello there" * 20, "no audio that can be read"),
        (file_bytes(np.zeros((5000, 1))), "is silent"),
        (file_bytes(np.full((9000, 1), np.nan), subtype="FLOAT"), "no numbers"),
        (file_bytes(np.random.default_rng(1).normal(0, 0.1, (8000 * 601, 1)), 8000, subtype="PCM_16"), "10 minutes"),
        (file_bytes(np.random.default_rng(1).normal(0, 0.1, (8000 * 45, 1)), 8000), "at most 30 s"),
    ],
    ids=["empty", "text", "silent", "nan", "ten minutes", "45 s"],
)
def test_what_cannot_be_used_is_refused_in_words(data, words):
    with pytest.raises(AudioRefusedError, match=words):
        import_sounds(data, "odd.wav")


def test_a_wrong_ending_does_not_matter():
    ready, refused = import_sounds(file_bytes(hit(), kind="FLAC"), "really flac.wav")
    assert [one.name for one in ready] == ["really flac"]
    assert refused == []


def test_a_zip_brings_what_is_usable_and_lists_the_rest():
    kick, snare = file_bytes(hit("kick")), file_bytes(hit("snare"))
    data = zipped(
        {"pack/a/kick_01.wav": kick, "pack/b/../snare.wav": snare, "again.wav": kick, "x/bad.wav": b"no audio"}
    )
    ready, refused = import_sounds(data, "pack.zip")
    assert sorted((one.name, one.role) for one in ready) == [("kick 01", "kick"), ("snare", "snare")]
    assert len(refused) == 1
    assert refused[0].startswith("bad.wav")


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (zipped({f"{n}.wav": b"x" for n in range(10_000)}), "10000 files; at most 2000"),
        (zipped({"readme.txt": b"nothing to hear"}), "holds no sound that can be used"),
        (zipped({"big.wav": b"\0" * 70_000_000}), "60 MB"),
        (b"PK\3\4 cut off", "no zip file"),
        (zipped({f"{n}.wav": b"x" for n in range(600)}), "600 sounds; at most 500"),
        (zipped({"kit.sfz": b"<region>", "a.wav": b"x"}), "holds an SFZ kit"),
    ],
    ids=["10,000 files", "nothing", "bomb", "cut", "600", "kit"],
)
def test_zips_that_cannot_be_unfolded_are_refused_in_words(data, words):
    with pytest.raises(ArchiveRefusedError, match=words):
        import_sounds(data, "pack.zip")


def wrong_guesses(voices):
    guesses = guess_roles([voice_audio(voice, 7, shipped_samples) for voice in voices])
    return [(voice.role, guess.role) for voice, guess in zip(voices, guesses, strict=True) if guess.role != voice.role]


@pytest.mark.parametrize("name", FRESH_KITS)
def test_roles_are_guessed_in_kits_nothing_was_tuned_on(name):
    wrong = wrong_guesses(FRESH_KITS[name])
    assert len(wrong) <= len(FRESH_KITS[name]) // 10, wrong


def test_roles_are_guessed_in_our_kits():
    """None of these voices is an example of the fit (every second one of the sampled kit is, and is not counted). They
    were in view while earlier methods were tried; the fresh kits above were not. Recorded voices are the weak spot."""
    wrong, count = [], 0
    for kit in (*HOUSE_KITS.values(), dry_dock()):
        counted = {voice.role for voice in (kit.voices[1::2] if kit.key == "dry_dock" else kit.voices)}
        count += len(counted)
        wrong += [(kit.name, *pair) for pair in wrong_guesses(kit.voices) if pair[0] in counted]
    fresh = sum(map(len, FRESH_KITS.values()))
    wrong_fresh = sum(len(wrong_guesses(kit)) for kit in FRESH_KITS.values())
    print(f"roles: house kits {count - len(wrong)} of {count}, fresh kits {fresh - wrong_fresh} of {fresh}; {wrong}")
    assert [pair for pair in wrong if pair[0] != "Dry Dock"] == []
    assert 1 - (len(wrong) + wrong_fresh) / (count + fresh) >= 0.9


def test_twenty_kicks_stay_kicks():
    kicks = [HOUSE_KITS[kit].voice("kick") for kit in HOUSE_KITS] + [kit[0] for kit in FRESH_KITS.values()]
    assert [guess.role for guess in guess_roles([voice_audio(voice, 7) for voice in kicks])] == ["kick"] * len(kicks)
