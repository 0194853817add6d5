"""A folder for each screen: routes, requests, view, template, script and style; `screen.py` in it registers it."""

from importlib import import_module
from pkgutil import iter_modules

for _folder in iter_modules(__path__):
    import_module(f"{__name__}.{_folder.name}.screen")
