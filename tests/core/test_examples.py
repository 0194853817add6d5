"""The examples in the docstrings of the core say what comes out."""

import doctest
from importlib import import_module
from pkgutil import walk_packages

import pytest

from easy_pocket import core

MODULES = [one.name for one in walk_packages(core.__path__, "easy_pocket.core.") if not one.ispkg]


def examples(name):
    found = doctest.DocTestFinder(exclude_empty=True).find(import_module(name))
    return [one for one in found if one.examples]


@pytest.mark.parametrize("name", [name for name in MODULES if examples(name)])
def test_examples_run(name):
    runner = doctest.DocTestRunner(optionflags=doctest.NORMALIZE_WHITESPACE, verbose=False)
    said = []
    for one in examples(name):
        runner.run(one, out=said.append)
    assert runner.failures == 0, "".join(said)


def test_thirty_functions_show_how_they_are_used():
    assert sum(len(examples(name)) for name in MODULES) >= 30
