"""The Kit's entry."""

from easy_pocket.store.database import Reader
from easy_pocket.store.songs.edits.pipeline import Changed
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.web.screens.kit import library_routes, routes
from easy_pocket.web.screens.kit.view import KitView
from easy_pocket.web.shared.edit_requests import View
from easy_pocket.web.shared.screen import Screen, ScreenState, register


def state(song: LoadedSong, view: View, changed: Changed, reader: Reader) -> ScreenState:
    kit = KitView(song, view, reader)
    return ScreenState(kit.fragments(), kit.strike)


ROUTERS = (routes.router, library_routes.router)
register(Screen("kit", "Kit", 6, "M4 8c0-2 16-2 16 0v9c0 3-16 3-16 0zM4 8c0 3 16 3 16 0", ROUTERS, state))
