"""The entry of the Stage."""

from easy_pocket.store.database import Reader
from easy_pocket.store.songs.edits.pipeline import Changed
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.web.screens.stage.routes import router
from easy_pocket.web.screens.stage.view import StageView
from easy_pocket.web.shared.edit_requests import View
from easy_pocket.web.shared.screen import Screen, ScreenState, register


def state(song: LoadedSong, view: View, changed: Changed, reader: Reader) -> ScreenState:
    """All of it is small and drawn anew; what is measured of the sound is asked for by the page when hands rest."""
    stage = StageView(song, view)
    return ScreenState(stage.fragments(), stage.data())


register(Screen("stage", "Stage", 7, "M3 20c3-9 15-9 18 0M12 4v3M7 9h.1M17 9h.1", (router,), state))
