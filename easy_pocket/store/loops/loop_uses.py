"""What a song takes from a loop: its hits on the song's kit; and hits that sit in with it."""

from __future__ import annotations

from pathlib import PurePath

from easy_pocket.core.feel.sit_in import SatIn, SitIn, sit_in
from easy_pocket.core.formats.slice_kit import slice_kit
from easy_pocket.core.listen.loop_analysis import Heard
from easy_pocket.core.listen.sound_groups import Group, HeardBeat, beat_of, groups_now
from easy_pocket.core.pattern.timebase import check_tempo
from easy_pocket.store.database import Database, Reads
from easy_pocket.store.kits.kits import add_kit
from easy_pocket.store.kits.samples import save_samples
from easy_pocket.store.loops.loops import found_from_doc, get_loop, load_audio, overrules_from_doc
from easy_pocket.store.schema.tables import LoopRow, SongRow
from easy_pocket.store.songs.load import LoadedSong, create_song


def groups_of(session: Reads, row: LoopRow) -> tuple[Heard, tuple[Group, ...]]:
    """A loop's hits sorted by sound, as they were left or as proposed."""
    heard, overrules = found_from_doc(row.found), overrules_from_doc(row.overruled)
    return heard, groups_now(load_audio(session, row.audio_hash, row.name), heard.onsets, overrules.groups)


def heard_beat(session: Reads, row: LoopRow) -> HeardBeat:
    heard, groups = groups_of(session, row)
    return beat_of(heard.onsets, heard.reading, groups)


def sitting_in(session: Reads, loaded: LoadedSong, loop_id: int, wanted: SitIn) -> SatIn:
    """What sitting in would do to the song as it is."""
    heard = found_from_doc(get_loop(session, loaded.row.id, loop_id).found)
    return sit_in(loaded.pattern, loaded.feel, loaded.tempo_bpm, heard.onsets, heard.reading, wanted)


def song_of_slices(database: Database, song_id: int, loop_id: int, by: str, slots: int) -> SongRow:
    """A new song on the shelf that is the loop, cut: a kit of its slices and the pattern that replays them."""
    row = get_loop(database.reader, song_id, loop_id)
    heard, audio = found_from_doc(row.found), load_audio(database.reader, row.audio_hash, row.name)
    name = PurePath(row.name).stem[:60] or "loop"
    kit, samples, pattern = slice_kit(audio, heard, f"{name} slices", by, slots)
    tempo_bpm = check_tempo(heard.reading.tempo_bpm)
    with database.transaction() as session:
        save_samples(session, samples)
        kit_row = add_kit(session, kit)
        return create_song(
            session,
            f"{name} in slices",
            tempo_bpm=tempo_bpm,
            metre=pattern.metre,
            bars=pattern.bars,
            kit_key=kit_row.key,
            voices=kit.roles,
            hits=pattern.hits,
        )
