"""The entry of the Takes screen."""

from easy_pocket.store.database import Reader
from easy_pocket.store.songs.edits.pipeline import Changed
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.web.screens.takes.guide_routes import router as guide_router
from easy_pocket.web.screens.takes.hand_routes import router as hand_router
from easy_pocket.web.screens.takes.routes import router
from easy_pocket.web.screens.takes.view import TakesView
from easy_pocket.web.shared.edit_requests import View
from easy_pocket.web.shared.screen import Screen, ScreenState, register


def state(song: LoadedSong, view: View, changed: Changed, reader: Reader) -> ScreenState:
    takes = TakesView(song, view, reader)
    return ScreenState(takes.fragments(), takes.data())


register(
    Screen(
        "takes",
        "Takes",
        8,
        "M4 18h16M7 18v-4M12 18v-7M17 18v-4M12 8h.1M5 4l6 5M19 4l-6 5",
        (router, hand_router, guide_router),
        state,
    )
)
