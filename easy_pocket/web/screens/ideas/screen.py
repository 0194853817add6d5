"""The entry of Ideas."""

from easy_pocket.store.database import Reader
from easy_pocket.store.songs.edits.pipeline import Changed
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.web.screens.ideas.routes import router
from easy_pocket.web.shared.edit_requests import View
from easy_pocket.web.shared.screen import Screen, ScreenState, register

ICON = "M12 3v4M12 17v4M4 12h4M16 12h4M6.500 6.500l2.500 2.500M15 15l2.500 2.500M17.500 6.500 15 9M9 15l-2.500 2.500"


def state(song: LoadedSong, view: View, changed: Changed, reader: Reader) -> ScreenState:
    """Cards are made for the pattern as it was; the page asks for new ones."""
    return ScreenState({})


register(Screen("ideas", "Ideas", 4, ICON, (router,), state))
