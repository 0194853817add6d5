"""A song of 16 variations of a MIDI beat: python sixteen_variations.py beat.mid "Sixteen ways" """

import sys

from easy_pocket.client import Client, NamedBeat, NewSong, VaryIn

with Client() as pocket:
    beat = pocket.beat_of_midi(sys.argv[1])
    found = {}
    for seed in (7, 8, 9):  # twelve come at a time, and some of them again
        for idea in pocket.vary(VaryIn(beat=beat, count=12, changes=3, seed=seed)):
            found.setdefault(idea.words, idea.beat)
    beats = [NamedBeat(name=words[:80], **one.model_dump()) for words, one in list(found.items())[:16]]
    song = pocket.make_song(NewSong(name=sys.argv[2], beats=beats))
    print(f"{song.id}  {song.name}: {song.bars} bars, {len(song.sections)} sections")
