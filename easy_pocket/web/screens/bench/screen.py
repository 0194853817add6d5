"""The Bench's entry."""

from easy_pocket.store.database import Reader
from easy_pocket.store.songs.edits.pipeline import Changed
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.web.screens.bench import feel_routes, history_routes, routes
from easy_pocket.web.screens.bench.view import BenchView
from easy_pocket.web.shared.edit_requests import View
from easy_pocket.web.shared.screen import Screen, ScreenState, register


def state(song: LoadedSong, view: View, changed: Changed, reader: Reader) -> ScreenState:
    bench = BenchView(song, view, reader)
    if changed.felt:  # heads and tools stay as they are: a slider is answered many times a second
        return ScreenState(bench.felt_fragments(), bench.rail_data(), ribbon=False)
    return ScreenState(bench.fragments(changed.voices), bench.rail_data(changed.voices))


ROUTERS = (routes.router, feel_routes.router, history_routes.router)
register(Screen("bench", "Bench", 1, "M4 4v16M4 8h13M4 15h16M17 5v6M20 12v6", ROUTERS, state))
