"""`./pocket check`: whether every song on the shelf loads and plays, and has its audio as it was."""

from __future__ import annotations

import sys
from collections.abc import Iterator

from easy_pocket.core.errors import PocketError
from easy_pocket.core.formats.audio_names import is_audio_of
from easy_pocket.core.song.perform_song import perform_song
from easy_pocket.core.text import counted
from easy_pocket.home.folder import LaunchError
from easy_pocket.home.shelf import open_shelf
from easy_pocket.store.database import Database
from easy_pocket.store.songs.load import read_song
from easy_pocket.store.songs.pocket_files import song_contents
from easy_pocket.store.songs.shelf import shelf
from easy_pocket.store.songs.song_doc import recordings_of


def faults(database: Database) -> Iterator[str]:
    """What is wrong, a line for each thing."""
    for one in shelf(database.reader):
        try:
            perform_song(read_song(database.reader, one.id).arrangement)
            with database.transaction() as session:
                contents = song_contents(session, one.id)
        except (PocketError, ValueError, KeyError, TypeError, AttributeError) as error:
            yield f"{one.name} ({one.id}) cannot be read: {error}"
            continue
        missing = recordings_of(contents.doc) - set(contents.audio)
        yield from (f"{one.name} ({one.id}): the audio {key[:12]} is missing" for key in sorted(missing))
        for key, (_, kept) in contents.audio.items():
            if not is_audio_of(key, kept):
                yield f"{one.name} ({one.id}): the audio {key[:12]} is damaged"


def main() -> int:
    try:
        with open_shelf() as database:
            found = list(faults(database))
            count = len(shelf(database.reader))
    except LaunchError as error:
        print(f"pocket: {error}", file=sys.stderr)
        return 1
    for line in found:
        print(line)
    words = f"{counted(len(found), 'fault')} in" if found else "No fault in"
    print(f"{words} {counted(count, 'song')}.")
    return 1 if found else 0


if __name__ == "__main__":
    sys.exit(main())
