"""The entry of Loops."""

from easy_pocket.store.database import Reader
from easy_pocket.store.songs.edits.pipeline import Changed
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.web.screens.loops import picture_routes, routes
from easy_pocket.web.shared.edit_requests import View
from easy_pocket.web.shared.screen import Screen, ScreenState, register


def state(song: LoadedSong, view: View, changed: Changed, reader: Reader) -> ScreenState:
    """Nothing changes in place: the page of a loop is drawn anew."""
    return ScreenState({})


ROUTERS = (routes.router, picture_routes.router)
register(Screen("loops", "Loops", 2, "M3 12c2-6 4-6 6 0s4 6 6 0 4-6 6 0", ROUTERS, state))
