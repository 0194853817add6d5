"""The Ideas screen: what its settings offer, and the log."""

from __future__ import annotations

import json

from easy_pocket.core.ideas.build_up import usual_order
from easy_pocket.core.ideas.fill_endings import ENDINGS
from easy_pocket.core.ideas.fill_voices import WAYS
from easy_pocket.core.ideas.idea_context import usual_beats
from easy_pocket.core.ideas.mix import WAYS as MIX_WAYS
from easy_pocket.core.ideas.variation_kinds import KINDS
from easy_pocket.core.pattern.voices import ROLES
from easy_pocket.store.database import Reader, Reads
from easy_pocket.store.ideas.log import logged_ideas
from easy_pocket.store.loops.loops import named_loops
from easy_pocket.store.schema.tables import IdeaRow
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.web.screens.ideas.shapes import IdeaData, IdeasData, LoggedIdea
from easy_pocket.web.shared.voice_title import voice_title

TABS = (("fill", "Fill"), ("variation", "Variation"), ("grow", "Grow"), ("roll", "Roll"), ("build", "Build-up"),
        ("borrow", "Borrow"))  # fmt: skip


class IdeasView:
    """Everything the screen's templates ask for."""

    def __init__(self, song: LoadedSong, reader: Reader) -> None:
        self.song = song
        self.tabs = TABS
        self.kinds = {key: words for key, (words, _) in KINDS.items()}
        self.ways = MIX_WAYS
        self.fill_ways = [(name, one.short) for name, one in WAYS.items()]
        self.fill_endings = [(name, one.short) for name, one in ENDINGS.items()]
        self.loops = named_loops(reader, song.id)
        self.pinned = [pinned_doc(row) for row in logged_ideas(reader, song, "pinned")]

    @property
    def voices(self) -> list[tuple[str, str]]:
        """All the kit has, with their names."""
        return [(voice, voice_title(self.song.kit, voice)) for voice in self.song.kit.roles]

    @property
    def all_voices(self) -> list[tuple[str, str]]:
        return [(role.key, role.name) for role in ROLES.values() if not role.key.startswith("slice_")]

    @property
    def order(self) -> list[tuple[str, str]]:
        """The voices with hits, in the order in which they usually come in."""
        return [(voice, voice_title(self.song.kit, voice)) for voice in usual_order(self.song.pattern)]

    def data(self) -> IdeasData:
        """What the page's script starts from."""
        metre, pattern = self.song.metre, self.song.pattern
        return {
            "bar": metre.bar_ticks,
            "pulse": metre.pulse_ticks,
            "beats": metre.bar_ticks // metre.pulse_ticks,
            "usual_beats": usual_beats(metre),
            "length": pattern.length_ticks,
            "bars": pattern.bars,
            "section": self.song.section_name,
            "goes_on": [voice for voice in ("hat_closed", "ride", "shaker", "tambourine", "kick") if self._has(voice)],
            "pinned": self.pinned,
        }

    def _has(self, voice: str) -> bool:
        return voice in self.song.pattern.arrays.voices


def pinned_doc(row: IdeaRow) -> IdeaData:
    stored: IdeaData = json.loads(row.doc)
    return {**stored, "id": row.id}


def log_rows(reader: Reads, song: LoadedSong) -> list[LoggedIdea]:
    """The log, the newest first, without what it takes to have an idea again."""
    found: list[LoggedIdea] = []
    for row in logged_ideas(reader, song):
        doc = json.loads(row.doc)
        found.append({"id": row.id, "kind": row.kind, "state": row.state, "words": doc["words"], "seed": doc["seed"],
                      "changes": len(doc["changes"]), "key": doc["key"]})  # fmt: skip
    return found
