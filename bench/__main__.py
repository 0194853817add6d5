"""`./pocket bench [NAME ...]`: listen, corrected, perform, feel, mixdown, edit, kit, heard, drawn, ideas, song,
song_page, served, sounds, stage, stage_page, takes, page; and, by their names only, files, played_in, many and soak."""

import sys

from bench import (
    corrected,
    drawn,
    edit,
    feel,
    files,
    heard,
    ideas,
    kit,
    listen,
    many,
    mixdown,
    page,
    perform,
    played_in,
    served,
    soak,
    song,
    song_page,
    sounds,
    stage,
    stage_page,
    takes,
)
from easy_pocket.caches import give_core_its_caches

ALL = {
    "listen": listen.run,
    "corrected": corrected.run,
    "perform": perform.run,
    "feel": feel.run,
    "mixdown": mixdown.run,
    "edit": edit.run,
    "kit": kit.run,
    "heard": heard.run,
    "drawn": drawn.run,
    "ideas": ideas.run,
    "song": song.run,
    "song_page": song_page.run,
    "served": served.run,
    "sounds": sounds.run,
    "stage": stage.run,
    "stage_page": stage_page.run,
    "takes": takes.run,
    "files": files.run,
    "played_in": played_in.run,
    "page": page.run,
    "soak": soak.run,
    "many": many.main,
}


BY_NAME = ("soak", "played_in", "files", "many")  # they take long


def main() -> None:
    give_core_its_caches()
    chosen = sys.argv[1:] or [name for name in ALL if name not in BY_NAME]
    unknown = [name for name in chosen if name not in ALL]
    if unknown:
        sys.exit(f"bench: there is no benchmark {unknown[0]}; there are {', '.join(ALL)}")
    for name in chosen:
        print(f"\n== {name} ==", flush=True)
        ALL[name]()


if __name__ == "__main__":  # workers import this module, too
    main()
