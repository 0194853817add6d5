"""All edits of a song, each registered in the file of its family (registry.py), and the one way in (pipeline.py)."""

from importlib import import_module
from pkgutil import iter_modules

for _family in iter_modules(__path__):
    import_module(f"{__name__}.{_family.name}")
