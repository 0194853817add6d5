"""The entry of Grooves."""

from easy_pocket.store.database import Reader
from easy_pocket.store.songs.edits.pipeline import Changed
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.web.screens.grooves.routes import router
from easy_pocket.web.screens.grooves.view import GrooveView
from easy_pocket.web.shared.edit_requests import View
from easy_pocket.web.shared.screen import Screen, ScreenState, register


def state(song: LoadedSong, view: View, changed: Changed, reader: Reader) -> ScreenState:
    shelf = GrooveView(song, view, reader, changed.made)
    return ScreenState(shelf.fragments(), shelf.data())


register(Screen("grooves", "Grooves", 3, "M3 12h18M5 12V7M9.500 12v4M14 12V5M18.500 12v7", (router,), state))
