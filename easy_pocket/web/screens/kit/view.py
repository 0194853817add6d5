"""The Kit screen: voices at the left, the layers of the chosen one over one time axis, their check beneath."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from easy_pocket.caches import ByteCache
from easy_pocket.core.pattern.voices import DRUMS, GLYPHS
from easy_pocket.core.sound.controls import MODEL_NAMES
from easy_pocket.core.sound.kit import Kit, KitVoice, audio_key, voice_audio
from easy_pocket.core.sound.layer import NO_HIGH_CUT_HZ, NO_LOW_CUT_HZ, Layer, layer_audio
from easy_pocket.core.sound.layer_check import LayerCheck, layer_check
from easy_pocket.core.sound.sample_format import Frames
from easy_pocket.core.sound.sound import SAMPLED
from easy_pocket.core.sound.spectrum import THIRD_NAMES
from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.core.sound.velocity import HARD_VELOCITY
from easy_pocket.store.database import Reader
from easy_pocket.store.kits.kits import kit_names, songs_with_kit
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.web.screens.kit.drags import db, layer_drags, model_drags, tune_words, voice_drags
from easy_pocket.web.shared.drag import Drag
from easy_pocket.web.shared.edit_requests import View
from easy_pocket.web.shared.playing import strike
from easy_pocket.web.shared.render import render
from easy_pocket.web.shared.shapes import Strike
from easy_pocket.web.shared.waves import line_path, small_wave, wave_path

AXES_MS = (60, 100, 150, 200, 300, 400, 600, 800, 1200, 1600, 2400, 3200, 4800, 6400)


@dataclass(frozen=True)
class LayerLine:
    """One layer over the time axis, places in percent of its width."""

    number: int
    name: str
    facts: tuple[str, ...]
    path: str
    start_x: float
    fade_x: float
    length_x: float | None
    end_x: float
    layer: Layer
    velocities: str


@dataclass(frozen=True)
class VoiceLine:
    role: str
    title: str
    glyph: str
    level: str
    level_share: int
    path: str
    facts: str
    in_part: bool
    layers: int


_small_waves: ByteCache[str] = ByteCache("small waves", 8 << 20)  # by audio key


class KitView:
    """What the templates of the Kit screen show."""

    def __init__(self, song: LoadedSong, view: View, reader: Reader) -> None:
        self.song, self.view, self.samples = song, view, song.samples
        self.songs = songs_with_kit(reader, song.kit.key)
        self.kit: Kit = song.kit
        self.kit_names = kit_names(reader)
        roles = self.kit.roles
        self.role = view.voice if view.voice in roles else next((r for r in song.part.voices if r in roles), roles[0])
        self.voice: KitVoice = self.kit.voice(self.role)
        self.alternate = min(view.alternate, len(self.voice.alternates))
        self.shown: KitVoice = self.voice.alternate(self.alternate)
        self.number = min(view.layer, len(self.shown.layers) - 1)

    # Left -------------------------------------------------------------------------------------------------------------
    @property
    def voices(self) -> list[VoiceLine]:
        return [
            VoiceLine(
                role=voice.role,
                title=voice.title,
                glyph=voice.sign,
                level=db(voice.level_db),
                level_share=max(2, min(100, round((voice.level_db + 36) / 48 * 100))),
                path=self._small(voice),
                facts=f"{len(voice.layers)} layer{'s' if len(voice.layers) != 1 else ''}",
                in_part=voice.role in self.song.part.voices,
                layers=len(voice.layers),
            )
            for voice in self.kit.voices
        ]

    def _small(self, voice: KitVoice) -> str:
        key = audio_key(voice, voice.hardest)
        return _small_waves.get(key, lambda: small_wave(voice_audio(voice, voice.hardest, self.samples)))

    @property
    def addable(self) -> list[tuple[str, str]]:
        return [(role.key, role.name) for role in DRUMS.values() if role.key not in self.kit.roles]

    @property
    def others(self) -> list[tuple[str, str]]:
        """Kits to compare with."""
        return [(key, name) for key, name in self.kit_names.items() if key != self.kit.key]

    # Middle -----------------------------------------------------------------------------------------------------------
    @cached_property
    def rendered(self) -> list[Frames]:
        voice = self.shown
        return [layer_audio(layer, HARD_VELOCITY, voice.velocity_bright, self.samples) for layer in voice.tuned_layers]

    @cached_property
    def axis_ms(self) -> int:
        ends = [
            layer.delay_ms + 1000 * _audible(x) / RATE_HZ
            for layer, x in zip(self.shown.layers, self.rendered, strict=True)
        ]
        return next((axis for axis in AXES_MS if max(ends, default=0) <= axis), AXES_MS[-1])

    @property
    def axis_labels(self) -> list[tuple[float, str]]:
        return [(20.0 * step, f"{self.axis_ms * step / 5:g} ms" if step else "0") for step in range(5)]

    def x(self, ms: float) -> float:
        return round(100 * min(ms / self.axis_ms, 1.0), 3)

    @property
    def layers(self) -> list[LayerLine]:
        scale = max((float(np.abs(x).max(initial=0)) for x in self.rendered), default=1.0) or 1.0
        return [
            self._line(number, layer, x, scale)
            for number, (layer, x) in enumerate(zip(self.shown.layers, self.rendered, strict=True))
        ]

    def _line(self, number: int, layer: Layer, x: Frames, scale: float) -> LayerLine:
        start = layer.delay_ms
        end = start + 1000 * len(x) / RATE_HZ
        bits = [f"{db(layer.level_db)}  {tune_words(layer.tune_cents)}"]
        if layer.low_cut_hz > NO_LOW_CUT_HZ:
            bits.append(f"above {layer.low_cut_hz:.0f} Hz")
        if layer.high_cut_hz < NO_HIGH_CUT_HZ:
            bits.append(f"below {layer.high_cut_hz:.0f} Hz")
        turned = [word for word, on in (("reversed", layer.reverse), ("polarity flipped", layer.invert)) if on]
        if layer.delay_ms:
            turned.append(f"{layer.delay_ms:g} ms late")
        bits += [" · ".join(turned)] if turned else []
        return LayerLine(
            number=number,
            name=layer.name or sound_words(layer),
            facts=(sound_words(layer), *bits),
            path=wave_path(x, start, self.axis_ms, scale),
            start_x=self.x(start),
            fade_x=self.x(start + layer.fade_in_ms),
            length_x=None if layer.length_ms is None else self.x(start + layer.length_ms),
            end_x=self.x(end),
            layer=layer,
            velocities=f"{layer.velocity_low}–{layer.velocity_high}",
        )

    @property
    def chosen(self) -> Layer:
        return self.shown.layers[self.number]

    @property
    def layer_drags(self) -> list[Drag]:
        return layer_drags(self.chosen)

    @property
    def model_drags(self) -> list[Drag]:
        return model_drags(self.chosen.sound, self.shown.tuned_layers[self.number].sound)

    @property
    def voice_drags(self) -> list[Drag]:
        return voice_drags(self.voice)

    @property
    def tuned(self) -> bool:
        return any("tune_hz" in layer.sound.settings for layer in self.voice.layers)

    @cached_property
    def check(self) -> LayerCheck:
        return layer_check(self.shown, self.shown.hardest, self.samples)

    @property
    def bars(self) -> list[tuple[float, float, float, int, bool]]:
        """Spectrum bars: x, width and height in percent, which layer, and whether the layers cancel there."""
        check, count = self.check, max(len(self.check.layers), 1)
        bars = []
        for band in range(len(THIRD_NAMES)):
            for place, number in enumerate(check.layers):
                height = float(np.clip(1 + check.levels_db[place, band] / 48, 0, 1)) * 100
                width = 100 / len(THIRD_NAMES) * 0.8 / count
                x = 100 / len(THIRD_NAMES) * (band + 0.1) + place * width
                bars.append((round(x, 2), round(width * 0.86, 2), round(height, 1), number, False))
        return bars

    @property
    def cancelled(self) -> list[tuple[float, float, float]]:
        """Bands in which layers cancel: x and width in percent, dB."""
        width = 100 / len(THIRD_NAMES)
        return [
            (round(width * band, 2), round(width, 2), float(value))
            for band, value in enumerate(self.check.cancel_db)
            if value <= -1.0
        ]

    @property
    def band_labels(self) -> list[tuple[float, str]]:
        width = 100 / len(THIRD_NAMES)
        return [(round(width * (band + 0.5), 2), THIRD_NAMES[band]) for band in range(3, len(THIRD_NAMES), 4)]

    @property
    def overlay(self) -> list[tuple[int, str]]:
        """The first 25 ms of every layer as lines over each other: layer number and path in a box of 1000 x 100."""
        if len(self.rendered) < 2:
            return []
        scale = max(float(np.abs(x).max(initial=0)) for x in self.rendered) or 1.0
        return [
            (number, line_path(x, layer.delay_ms, scale))
            for number, (layer, x) in enumerate(zip(self.shown.layers, self.rendered, strict=True))
        ]

    @property
    def verdict(self) -> str:
        if len(self.check.layers) < 2:
            return "one layer: nothing to cancel"
        worst = self.check.worst
        if worst is None:
            return "nothing cancels"
        unit = "Hz" if worst[0].endswith("k") else " Hz"
        return f"−{abs(worst[1]):.1f} dB at {worst[0]}{unit}"

    @property
    def proposal_words(self) -> str:
        one = self.check.proposal
        if one is None:
            return ""
        layer = self.shown.layers[one.layer]
        name = layer.name or f"layer {one.layer + 1}"
        turn = f"flip the polarity of {name}, " if one.invert != layer.invert else f"{name} "
        moved = one.delay_ms - layer.delay_ms
        return f"{turn}{'+' if moved >= 0 else '−'}{abs(moved):.2f} ms: +{one.gain_db:.1f} dB"

    @property
    def facts(self) -> str:
        v = self.voice
        count = len(self.shown.layers)
        again = (
            "rings" if v.rings and not v.choke_group else f"cut by {v.choke_group}" if v.choke_group else "cuts itself"
        )
        return f"{count} layer{'s' if count != 1 else ''} · {again} · note {v.midi_note}"

    @property
    def choke_groups(self) -> list[str]:
        """Groups of voices that cut each other: those in use, and a few names to begin one."""
        used = [voice.choke_group for voice in self.kit.voices if voice.choke_group]
        return list(dict.fromkeys([*used, "hat", "group 2", "group 3"]))

    @property
    def glyphs(self) -> Sequence[str]:
        return GLYPHS

    @cached_property
    def strike(self) -> Strike:
        """One hard hit of what is shown, for the player."""
        return strike(self.shown, self.song.mix.get(self.role))

    def fragments(self) -> dict[str, str]:
        return {
            "kit-voices": render("kit/_kit_voices.html", song=self.song, kit=self),
            "kit-voice": render("kit/_kit_voice.html", song=self.song, kit=self),
        }


def _audible(x: Frames) -> int:
    """Frames until it stays 50 dB below its peak."""
    height = np.abs(x).max(axis=1, initial=0)
    loud = np.flatnonzero(height > height.max(initial=0) * 10 ** (-50 / 20))
    return int(loud[-1]) + 1 if len(loud) else len(x)


def sound_words(layer: Layer) -> str:
    """What kind of sound a layer has."""
    sound = layer.sound
    if sound.model == SAMPLED:
        return "sampled" if sound.levelled and len(sound.samples) > 1 else "one-shot" if sound.levelled else "folded"
    tune = sound.settings.get("tune_hz")
    return f"{MODEL_NAMES[sound.model]}, {tune:.0f} Hz" if tune else MODEL_NAMES[sound.model]
