"""Loops over samples that numpy cannot do at once, compiled by Numba when they are first called.

Numba is imported only then: what listens to nothing starts without it. What was compiled is kept beside the source,
for other processes and the next start.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from importlib import import_module
from typing import ParamSpec, TypeVar

P = ParamSpec("P")
R = TypeVar("R")


def compiled(function: Callable[P, R]) -> Callable[P, R]:
    """Make a function of arrays and numbers run as fast as compiled code.

    Other threads run meanwhile. Sums are added in the order that is written, so that every machine finds the same;
    an index is not checked.

    Parameters
    ----------
    function
        Plain loops over numpy arrays and numbers, that call nothing else of ours.

    Returns
    -------
    Callable
        The same function; compiled once for each kind of arrays it is given.
    """
    made: list[Callable[P, R]] = []

    @wraps(function)
    def call(*args: P.args, **kwargs: P.kwargs) -> R:
        if not made:
            njit = import_module("numba").njit
            try:
                made.append(njit(cache=True, nogil=True, error_model="numpy")(function))
            except RuntimeError:  # there is no folder that can be written: it is compiled in every process
                made.append(njit(nogil=True, error_model="numpy")(function))
        return made[0](*args, **kwargs)

    return call
