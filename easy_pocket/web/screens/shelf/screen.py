"""The Shelf's entry."""

from easy_pocket.web.screens.shelf import keeping_routes
from easy_pocket.web.screens.shelf.routes import router
from easy_pocket.web.shared.screen import Screen, register

register(
    Screen(
        "shelf", "Shelf", 0, "M4 20h16M6 20V7h4v13M10 20V4h4v16M15.500 8l3.500-1 2 13", (router, keeping_routes.router)
    )
)
