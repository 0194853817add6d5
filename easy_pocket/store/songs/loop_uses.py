"""What a song takes from a loop: its hits on the song's kit; and hits that sit in with it."""

from __future__ import annotations

from pathlib import PurePath

from easy_pocket.core.formats.slice_kit import slice_kit
from easy_pocket.core.listen.loop_analysis import LoopAnalysis
from easy_pocket.core.listen.loop_beat import LoopBeat, beat_from_groups
from easy_pocket.core.listen.sit_in import SitIn, SitInResult, sit_in
from easy_pocket.core.listen.sound_groups import Group, current_groups
from easy_pocket.core.pattern.timebase import check_tempo
from easy_pocket.store.database import Database, Reads
from easy_pocket.store.kits.kits import add_kit
from easy_pocket.store.kits.samples import save_samples
from easy_pocket.store.loops.loops import analysis_from_doc, corrections_from_doc, get_loop, load_audio
from easy_pocket.store.schema.tables import LoopRow, SongRow
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.loaded import LoadedSong


def loop_groups(session: Reads, row: LoopRow) -> tuple[LoopAnalysis, tuple[Group, ...]]:
    """A loop's hits sorted by sound, as they were left or as proposed."""
    heard, corrections = analysis_from_doc(row.found), corrections_from_doc(row.overruled)
    return heard, current_groups(load_audio(session, row.audio_hash, row.name), heard.onsets, corrections.groups)


def loop_beat(session: Reads, row: LoopRow) -> LoopBeat:
    heard, groups = loop_groups(session, row)
    return beat_from_groups(heard.onsets, heard.reading, groups)


def sitting_in(session: Reads, loaded: LoadedSong, loop_id: int, wanted: SitIn) -> SitInResult:
    """What sitting in would do to the song as it is."""
    heard = analysis_from_doc(get_loop(session, loaded.id, loop_id).found)
    return sit_in(loaded.pattern, loaded.feel, loaded.tempo_bpm, heard.onsets, heard.reading, wanted)


def song_of_slices(database: Database, song_id: int, loop_id: int, by: str, slots: int) -> SongRow:
    """A new song on the shelf that is the loop, cut: a kit of its slices and the pattern that replays them."""
    row = get_loop(database.reader, song_id, loop_id)
    heard, audio = analysis_from_doc(row.found), load_audio(database.reader, row.audio_hash, row.name)
    name = PurePath(row.name).stem[:60] or "loop"
    groups = current_groups(audio, heard.onsets, corrections_from_doc(row.overruled).groups)
    kit, samples, pattern = slice_kit(audio, heard, f"{name} slices", by, slots, groups)
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
