"""Everything the Stage screen shows of a song: its sounds on the floor, one place's chain, rooms, groups, settings."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from easy_pocket.core.pattern.voices import voice_name
from easy_pocket.core.sound.kit import Kit
from easy_pocket.core.stage.presets import PRESETS
from easy_pocket.core.stage.section_settings import NO_SETTINGS
from easy_pocket.core.stage.stage import RETURNS, ROOMS, Doc, Unit, unit_doc, unit_from_doc
from easy_pocket.core.stage.unit_fields import ECHO_FIELDS, MOST_UNITS, ROOM_FIELDS, UNITS, UnitField
from easy_pocket.core.stage.units import Music
from easy_pocket.store.songs.edits.stage_places import place_name
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.store.songs.stack_playing import stack_music, stack_parts
from easy_pocket.store.songs.stage_doc import SETTINGS, setting_names, shown_of
from easy_pocket.web.screens.stage.sounds import SoundGroup, StageSound, sound_groups
from easy_pocket.web.screens.stage.unit_pictures import unit_picture
from easy_pocket.web.shared.drag import Drag
from easy_pocket.web.shared.edit_requests import View
from easy_pocket.web.shared.render import render

ROOM_NAMES = {"long": "long room", "short": "short room", "echo": "echo"}


@dataclass(frozen=True)
class UnitCard:
    """One unit of the chain that is shown."""

    at: int
    kind: str
    words: str
    on: bool
    picture: str
    drags: list[Drag]
    choices: list[tuple[str, str, str, tuple[tuple[str, str], ...]]] = field(
        default_factory=list
    )  # field, label, value
    texts: list[tuple[str, str, str]] = field(default_factory=list)


def unit_drag(at: int, name: str, one: UnitField, value: float, kind: str = "unit") -> Drag:
    """A setting that is drawn sideways or typed."""
    steps = 10**-one.digits if one.curve == "even" else 10 ** -(one.digits + 1)
    text = f"{value:.{one.digits}f}".rstrip("0").rstrip(".") if one.digits else f"{value:.0f}"
    shown = f"{text or '0'} {one.unit}".strip().replace("-", "−")
    return Drag(name, one.label, value, one.low, one.high, steps, one.unit, shown, one.curve, kind=f"{kind}:{at}")


def kit_place(sound: StageSound) -> str:
    """What the chain is called that a voice has from its kit."""
    return f"kit:{sound.part_id}:{sound.voice}"


class StageView:
    """place: what is chosen; room: which room the height of the floor stands for; in_section: whether it is set for the
    section that is looked at; own: what that has of its own; asked: the place the page asked for, which may be gone."""

    def __init__(self, song: LoadedSong, view: View) -> None:
        self.song, self.room = song, view.room
        self.in_section = view.placed == "section" and len(song.sections) > 1
        self.stage = song.stage_here if self.in_section else song.stage
        self.own = song.stage.sections.get(song.section_id, NO_SETTINGS)
        groups = sound_groups(song, self.room, self.stage, song.levels_here if self.in_section else {})
        self.groups: list[SoundGroup] = groups
        self.sounds: list[StageSound] = [sound for group in groups for sound in group.sounds]
        known = {sound.where for sound in self.sounds}
        known |= {group.where for group in groups} | {f"group:{one.key}" for one in self.stage.groups}
        known |= {kit_place(one) for one in self.sounds if one.voice}
        known = (known | {*RETURNS, "whole"}) - {""}
        first = self.sounds[0].where if self.sounds else "whole"
        self.asked = view.place
        self.place = view.place if view.place in known else first
        self.of_kit = self.place.startswith("kit:")
        self.sound = next((one for one in self.sounds if self.place in (one.where, kit_place(one))), None)
        self.is_return = self.place in RETURNS

    @cached_property
    def music(self) -> Music:
        """What the units of the chain that is shown follow; who strikes when is looked up for ducks only."""
        ducks = any(unit.kind == "duck" for unit in self.chain)
        return stack_music(self.song, stack_parts(self.song) if ducks else [])

    @property
    def name(self) -> str:
        if self.sound:
            return self.sound.name
        return place_name(self.song, self.place).capitalize() if self.is_return else place_name(self.song, self.place)

    @property
    def scopes(self) -> list[tuple[str, str, bool]]:
        """The chains the sound goes through: its own, its part's or group's, that of everything."""
        found = []
        sound = self.sound or next((one for one in self.sounds if self._leads_here(one)), None)
        if sound:
            found.append((sound.where, "voice" if sound.voice else "loop"))
            if sound.voice:
                found.append((kit_place(sound), "kit"))
            if sound.group:
                found.append((f"group:{sound.group}", "group"))
            elif sound.part_id:
                found.append((f"part:{sound.part_id}", "part"))
        elif self.place.startswith(("part:", "group:")):
            found.append((self.place, self.place.partition(":")[0]))
        if self.is_return:
            found = [(self.place, "echo" if self.place == "echo" else "room")]
        found.append(("whole", "everything"))
        return [(where, words, where == self.place) for where, words in found]

    def _leads_here(self, sound: StageSound) -> bool:
        return self.place in (f"part:{sound.part_id}", f"group:{sound.group}")

    @property
    def then(self) -> str:
        """Where the sound goes after this chain."""
        if self.of_kit:
            return "then the voice's own chain"
        if self.place == "whole":
            return f"then the ceiling, {self.stage.ceiling_db:+.1f} dB".replace("-", "−")
        group = self.stage.group_of(self.place)
        if group:
            return f"then into {group.name}"
        if self.sound and self.sound.part_id:
            return f"then into {place_name(self.song, f'part:{self.sound.part_id}')}"
        return "then into everything"

    @property
    def cards(self) -> list[UnitCard]:
        return [self._card(at, unit) for at, unit in enumerate(self.chain)]

    @property
    def chain(self) -> tuple[Unit, ...]:
        """The chain that is shown."""
        return self._kit_chain() if self.of_kit else self.stage.place(self.place).chain

    def _kit_chain(self) -> tuple[Unit, ...]:
        return tuple(unit_from_doc(doc) for doc in self._kit().voice(self.place.split(":")[2]).chain)

    def _kit(self) -> Kit:
        number = self.place.split(":")[1]
        return self.song.kits[next(one.kit_key for one in self.song.parts if str(one.id) == number)]

    @property
    def kit_name(self) -> str:
        """The kit whose chain is shown, "" where it is the song's."""
        return self._kit().name if self.of_kit else ""

    @property
    def chain_docs(self) -> list[Doc]:
        """The chain of the song as it is sent, for moves and copies."""
        return [unit_doc(unit) for unit in (self.chain if self.of_kit else self.song.stage.place(self.place).chain)]

    def _card(self, at: int, unit: Unit) -> UnitCard:
        kind = UNITS[unit.kind]
        drags, choices, texts = [], [], []
        for name, one in kind.fields.items():
            value = unit.settings[name]
            if name == "side":
                choices.append((name, one.label, str(value), self._sides()))
            elif one.choices:
                suffix = f" {one.unit}" if one.unit else ""
                choices.append((name, one.label, str(value), tuple((word, word + suffix) for word in one.choices)))
            elif isinstance(value, str):
                texts.append((name, one.label, value))
            else:
                drags.append(unit_drag(at, name, one, value))
        return UnitCard(at, unit.kind, kind.words, unit.on, unit_picture(unit, self.music), drags, choices, texts)

    def _sides(self) -> tuple[tuple[str, str], ...]:
        if self.of_kit:
            return (("", "itself"),)
        return ("", "itself"), *((one.where, one.name) for one in self.sounds if one.where != self.place)

    @property
    def addable(self) -> list[tuple[str, str]]:
        if len(self.chain) >= MOST_UNITS:
            return []
        return [(kind, one.words) for kind, one in UNITS.items()]

    @property
    def sends(self) -> list[tuple[str, str, float]]:
        """What leaves after the chain; nothing of rooms and the whole."""
        if self.is_return or self.of_kit or self.place == "whole":
            return []
        own = self.stage.place(self.place).sends
        return [(name, ROOM_NAMES[name], own.get(name, 0.0)) for name in ("short", "long", "echo")]

    @property
    def send_drags(self) -> list[Drag]:
        return [
            Drag(name, words, percent, 0, 100, 1, "%", f"{percent:.0f} %", kind="send:0")
            for name, words, percent in self.sends
        ]

    @property
    def return_drags(self) -> list[Drag]:
        """Settings of the room or the echo that is chosen."""
        if not self.is_return:
            return []
        fields = ROOM_FIELDS if self.place in ROOMS else ECHO_FIELDS
        values = self.stage.rooms[self.place] if self.place in ROOMS else self.stage.echo
        return [
            unit_drag(0, name, one, float(values[name]), "return") for name, one in fields.items() if not one.choices
        ]

    @property
    def size(self) -> str:
        return str(self.stage.rooms[self.place]["size"]) if self.place in ROOMS else ""

    @property
    def sizes(self) -> tuple[str, ...]:
        return ROOM_FIELDS["size"].choices

    @property
    def ceiling_drag(self) -> Drag:
        value = self.stage.ceiling_db
        return Drag(
            "ceiling_db", "ceiling", value, -12, 0, 0.1, "dB", f"{value:+.1f} dB".replace("-", "−"), kind="ceiling:0"
        )

    @property
    def bands(self) -> list[dict[str, object]]:
        """Rooms and echo over the floor, with who goes there."""
        found: list[dict[str, object]] = []
        for row, name in enumerate(("long", "short", "echo")):
            values = self.stage.rooms[name] if name in ROOMS else self.stage.echo
            told = f"{float(values['length_s']):.2f} s" if name in ROOMS else self._echo_words()
            senders = [(one, one.sends.get(name, 0.0)) for one in self.sounds if one.sends.get(name)]
            more = [(w, p.sends[name]) for w, p in self.stage.places.items() if w.count(":") < 2 and p.sends.get(name)]
            found.append(
                {"name": name, "words": ROOM_NAMES[name], "told": told, "y": 26 * row, "senders": senders,
                 "more": [place_name(self.song, where) for where, _ in more if not where.startswith("loop")],
                 "level_db": float(values["level_db"])}
            )  # fmt: skip
        return found

    def _echo_words(self) -> str:
        beats = float(self.stage.echo["beats"])
        return f"{beats:g} beats, {beats * self.music.beats.beat_s * 1000:.0f} ms"

    @property
    def outlines(self) -> list[dict[str, object]]:
        """Groups drawn round: the box that holds their sounds."""
        found: list[dict[str, object]] = []
        for one in self.stage.groups:
            inside = [sound for sound in self.sounds if sound.where in one.members]
            if not inside:
                continue
            xs, ys = np.array([sound.x for sound in inside]), np.array([sound.y for sound in inside])
            left, top = float(xs.min()) - 34, float(ys.min()) - 28
            box = (left, top, float(xs.max()) + 34 - left, float(ys.max()) + 40 - top)
            where = f"group:{one.key}"
            ducks = any(unit.kind == "duck" for unit in self.stage.place(where).working)
            name = f"{one.name}{', ducked' if ducks else ''}"
            found.append({"where": where, "name": name, "box": box, "on": where == self.place})
        return found

    @property
    def settings(self) -> list[tuple[str, str, bool]]:
        names, shown = setting_names(self.song.stage_doc), shown_of(self.song.stage_doc)
        return [(key, names[key] or key, key == shown) for key in SETTINGS]

    @property
    def counts(self) -> str:
        resting = sum(not one.heard for one in self.sounds)
        return f"{len(self.sounds)} in" + (f", {resting} resting" if resting else "")

    @property
    def chosen(self) -> str:
        """The sound on the floor whose chain is shown, as a voice or as its kit has it."""
        return self.sound.where if self.sound else ""

    @property
    def of_kit_count(self) -> int:
        """How many units a voice goes through before the chain that is shown."""
        return 0 if self.of_kit else len(self.stage.kit_chains.get(self.place, ()))

    @property
    def presets(self) -> list[tuple[str, list[Doc]]]:
        return [(name, [unit_doc(unit) for unit in chain]) for name, chain in PRESETS.items()]

    @property
    def own_here(self) -> bool:
        """Whether the section has something of its own for the place that is chosen."""
        return self.in_section and (self.place in self.own.levels or self.place in self.own.places)

    @property
    def loop_bars(self) -> int:
        """Bars of the loop that plays."""
        return max(-(-self.song.pattern.length_ticks // self.song.pattern.metre.bar_ticks), 1)

    @property
    def song_bars(self) -> int:
        return max(sum(one.bars * one.repeats for one in self.song.sections), 1)

    @property
    def ledger(self) -> str:
        return voice_name(self.sound.voice) if self.sound and self.sound.voice else self.name

    def fragments(self) -> dict[str, str]:
        values = {"stage": self, "song": self.song}
        return {
            "stage-tools": render("stage/_tools.html", **values),
            "stage-levels": render("stage/_levels.html", **values),
            "stage-floor": render("stage/_floor.html", **values),
            "stage-side": render("stage/_side.html", **values),
        }

    def data(self) -> dict[str, str]:
        return {"asked": self.asked, "place": self.place}
