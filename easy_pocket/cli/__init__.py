"""The command line. Each command is in a module of its own, which is imported when it is called.

Bad input gives one line on stderr, exit code 2 and no file; what is nobody's mistake gives exit code 1.
"""

from __future__ import annotations

import argparse
import errno
import os
import sys
from collections.abc import Callable, Sequence
from importlib import import_module
from typing import NoReturn

from easy_pocket.cli.commands import COMMANDS
from easy_pocket.core.errors import PocketError

STOPPED = 130
OWN_FAULTS = (errno.ENOSPC, errno.EDQUOT, errno.EIO, errno.EROFS)


class Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        """Print one line; argparse alone would print its usage first."""
        self.exit(2, f"{self.prog}: {message}\n")


def main(arguments: list[str] | None = None) -> int:
    given = sys.argv[1:] if arguments is None else arguments
    parser = make_parser(given)
    if "_ARGCOMPLETE" in os.environ:
        _complete(parser)
    chosen = parser.parse_args(given)
    command: Callable[[argparse.Namespace], None] = chosen.run
    from easy_pocket.caches import give_core_its_caches  # numpy: not needed to print a help
    from easy_pocket.freed_memory import give_back_large_arrays

    give_core_its_caches()
    give_back_large_arrays()
    try:
        _check_output(chosen)
        command(chosen)
        sys.stdout.flush()
    except PocketError as error:
        return _told(str(error), getattr(error, "exit_code", 2))
    except BrokenPipeError:  # who reads has had enough
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except KeyboardInterrupt:
        return _told("stopped.", STOPPED)
    except OSError as error:
        words = f"{error.filename or 'the file'}: {error.strerror or error}."
        return _told(words, 1 if error.errno in OWN_FAULTS else 2)
    return 0


def _told(words: str, code: int) -> int:
    print("easy-pocket: " + " ".join(words.split()), file=sys.stderr)
    return code


def _check_output(chosen: argparse.Namespace) -> None:
    """Raises PocketError where a file and JSON would both go to the standard output."""
    if getattr(chosen, "out", None) == "-" and getattr(chosen, "json", False):
        raise PocketError("-o - and --json both want the standard output: name a file for one of them.")


def _complete(parser: argparse.ArgumentParser) -> None:
    import argcomplete

    argcomplete.autocomplete(parser)


def make_parser(given: Sequence[str] = (), *, whole: bool = False) -> Parser:
    """A parser that knows the options of the command that is called, or of all; of the others what they are for."""
    parser = Parser(
        prog="easy-pocket",
        description="Easy Pocket on the command line. - stands for standard input or output wherever a file is meant.",
        epilog="Exit codes: 0 done; 1 it could not be done here (no database, disk full); 2 what was given does not "
        "fit, and a line says why. 'easy-pocket COMMAND --help' has an example of each.",
    )
    parser.add_argument("--version", action=_Version, nargs=0, help="print the version")
    commands = parser.add_subparsers(dest="command", required=True, parser_class=Parser, metavar="COMMAND")
    words = {*given, *os.environ.get("COMP_LINE", "").split()}
    added: set[str] = set()
    for name, one in COMMANDS.items():
        if not whole and name not in words:
            commands.add_parser(name, help=one.help)
        elif one.module not in added:
            added.add(one.module)
            import_module(f"easy_pocket.cli.{one.module}").add(_Adder(commands, words, whole=whole))
    return parser


class _Adder:
    """Adds the commands of a module that are asked for, each with its help and its example."""

    def __init__(self, commands: argparse._SubParsersAction[Parser], words: set[str], *, whole: bool) -> None:
        self.commands, self.words, self.whole = commands, words, whole

    def add_parser(self, name: str, *, more: str = "") -> argparse.ArgumentParser:
        one = COMMANDS[name]
        if not self.whole and name not in self.words:
            return Parser()  # another command of the same module: nothing asks for it
        words = f"{more}\n\n" if more else ""
        return self.commands.add_parser(
            name, help=one.help, description=one.help[0].upper() + one.help[1:] + ".",
            epilog=f"{words}Example: easy-pocket {one.example}", formatter_class=argparse.RawDescriptionHelpFormatter,
        )  # fmt: skip


class _Version(argparse.Action):
    def __call__(self, parser: argparse.ArgumentParser, *_: object) -> None:
        from importlib.metadata import version

        print(f"easy-pocket {version('easy-pocket')}")
        parser.exit()
