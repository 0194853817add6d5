"""The Song screen's entry."""

from easy_pocket.store.database import Reader
from easy_pocket.store.songs.edits.pipeline import Changed
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.web.screens.song.routes import router
from easy_pocket.web.screens.song.view import SongView
from easy_pocket.web.shared.edit_requests import View
from easy_pocket.web.shared.screen import Screen, ScreenState, register


def state(song: LoadedSong, view: View, changed: Changed, reader: Reader) -> ScreenState:
    """The screen plays the whole song and asks for that itself, so the answer holds no loop."""
    return ScreenState({}, SongView(song, reader).data(), hears=False)


register(Screen("song", "Song", 5, "M3 5h8v5H3zM13 5h8v5h-8zM3 13h11v6H3zM16 13h5v6h-5z", (router,), state))
