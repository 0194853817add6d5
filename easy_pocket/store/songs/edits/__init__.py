"""All edits of a song, each registered in the file of its family (registry.py), and the one way in (pipeline.py)."""

from easy_pocket.store.songs.edits import (  # noqa: F401 - importing a family registers its edits
    cells,
    feel,
    grooves,
    ideas,
    joins,
    kits,
    loops,
    midi,
    part_merges,
    parts,
    pattern,
    patterns,
    sections,
    song,
    under,
    whole_song,
)
