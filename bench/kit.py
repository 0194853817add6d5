"""How fast kits are rebuilt, one control is changed, and a large library is searched."""

from __future__ import annotations

import time

import numpy as np
from fastapi.testclient import TestClient

from bench.clock import median_ms
from bench.edit import Timed, desk
from easy_pocket.core.pattern.voices import DRUMS
from easy_pocket.core.sound.house_kits import HOUSE_KITS
from easy_pocket.core.sound.kit import Kit, KitVoice, clear_rendered, voice_audio
from easy_pocket.core.sound.layer import Layer
from easy_pocket.core.sound.library import Query, SoundIndex, search
from easy_pocket.core.sound.sound import clear_struck
from easy_pocket.demo.load import lamplighter_hits
from easy_pocket.samples import dry_dock, shipped_samples
from easy_pocket.store.database import Database
from easy_pocket.store.schema.tables import SoundRow
from easy_pocket.store.songs.create import create_song

SOUNDS = 5_000


def run() -> None:
    _rebuild()
    _search()
    _control()


def _layered() -> Kit:
    """16 voices of 4 layers, cut, tuned and placed, no two alike."""
    kits = (*HOUSE_KITS.values(), dry_dock())
    sounds = [voice.layers[0].sound for kit in kits for voice in kit.voices]
    voices = []
    for number, voice in enumerate(dry_dock().voices[:16]):
        layers = tuple(
            Layer(
                sounds[(number * 4 + k * 13) % len(sounds)],
                level_db=-3.0 * k,
                delay_ms=float(k),
                length_ms=300.0 + 40 * k,
            )
            for k in range(4)
        )
        voices.append(KitVoice(voice.role, layers))
    return Kit("bench", "Bench", tuple(voices))


def _rebuild() -> None:
    kit = _layered()

    def build() -> None:
        clear_rendered()
        for voice in kit.voices:
            for number in range(len(voice.stretches)):
                voice_audio(voice, number, shipped_samples)

    def cold() -> float:
        clear_struck()
        start = time.perf_counter()
        build()
        return 1000 * (time.perf_counter() - start)

    first = cold()
    print(
        f"16 voices x 4 layers x 8 velocities: {median_ms(build, 3):.0f} ms rebuilt, "
        f"{first:.0f} ms with every sound computed anew (wanted: 500)"
    )


def _library(client: TestClient, database: Database, song_id: int) -> None:
    """A library of 5,000 in the database, asked over HTTP, also right after a sound has changed."""
    dice = np.random.default_rng(6)
    with database.transaction() as session:
        have = session.query(SoundRow).count()
        thirds = dice.uniform(-60, 0, (SOUNDS, 30)).astype("<f4")
        for number in range(have, SOUNDS):
            session.add(
                SoundRow(
                    key=f"bench-{number}", name=f"snare {number}", role="snare", source="yours", doc={},
                    bright_hz=float(np.exp(dice.uniform(4, 9))), length_s=float(dice.uniform(0.02, 2)),
                    noisy=float(dice.uniform(0, 1)), thirds_db=thirds[number].tobytes(),
                    picture=bytes(dice.integers(0, 255, 56).tolist()), version=1_000 + number,
                )
            )  # fmt: skip
        first = session.query(SoundRow).first()
        assert first is not None
        sound_id = first.id
    address = f"/songs/{song_id}/library"
    for words, query in (("filtered", {"role": "snare", "words": "1", "bright": 1}), ("like one", {"like": sound_id})):
        took, after_change = [], []
        for number in range(24):
            client.get(address, params={**query, "offset": number})
            took.append(Timed.last_ms)
            client.post(f"/library/{sound_id}", json={"favourite": bool(number % 2)})
            client.get(address, params={**query, "offset": number})
            after_change.append(Timed.last_ms)
        later = np.percentile(after_change[2:], 95)
        print(
            f"{SOUNDS} sounds over HTTP, {words}: p95 {np.percentile(took[2:], 95):.0f} ms, "
            f"{later:.0f} ms right after a change (wanted: 50)"
        )


def _search() -> None:
    dice = np.random.default_rng(5)
    roles = np.array(["kick", "snare", "hat_closed", "clap", "ride"])
    index = SoundIndex(
        ids=np.arange(SOUNDS),
        names=tuple(f"{word} {number}" for number, word in enumerate(dice.choice(["round", "crack", "deep"], SOUNDS))),
        roles=dice.choice(roles, SOUNDS),
        sources=dice.choice(np.array(["model", "yours"]), SOUNDS),
        bright_hz=np.exp(dice.uniform(4, 9, SOUNDS)),
        length_s=dice.uniform(0.02, 2, SOUNDS),
        noisy=dice.uniform(0, 1, SOUNDS),
        thirds_db=dice.uniform(-60, 0, (SOUNDS, 30)).astype(np.float32),
        favourite=dice.random(SOUNDS) < 0.1,
        used_at=dice.uniform(0, 1, SOUNDS),
    )
    for words, query in (
        ("by role, name and brightness", Query(role="snare", words="crack", bright=1)),
        ("more like this", Query(like=17)),
        ("goes with this", Query(free_bands=np.linspace(0, 1, 30))),
    ):
        search(index, query)
        print(f"{SOUNDS} sounds, {words}: {median_ms(lambda query=query: search(index, query), 9):.1f} ms (wanted: 50)")


def _control() -> None:
    """One control of a model changed, and the sound of it fetched, as the page does."""
    with desk() as (client, database):
        with database.transaction() as session:
            song_id = create_song(session, "bench", tempo_bpm=104, hits=lamplighter_hits(), voices=tuple(DRUMS)[:14]).id
        view = {"screen": "kit", "voice": "snare"}
        revision = client.get(f"/songs/{song_id}/state", params=view).json()["song"]["revision"]
        edits, sounds = [], []
        for number in range(24):
            edit = {"kind": "kit_model", "role": "snare", "layer": 0, "control": "tune_hz", "value": 150.0 + 3 * number}
            body = {"revision": revision, "edit": edit, "view": view}
            answer = client.post(f"/songs/{song_id}/edits", json=body).json()
            edits.append(Timed.last_ms)
            revision = answer["song"]["revision"]
            client.get(f"/audio/sounds/{answer['data']['audio']}.wav")
            sounds.append(Timed.last_ms)
        _library(client, database, song_id)
    sound_ms = np.median(sounds)
    print(f"one control changed: p50 {np.median(edits):.0f} ms, and {sound_ms:.0f} ms for its sound (wanted: 150)")
