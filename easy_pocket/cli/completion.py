"""`easy-pocket completion SHELL`: what makes a shell complete the commands and their options."""

from __future__ import annotations

import argparse
from typing import Any

SHELLS = ("bash", "zsh", "fish")


def add(commands: Any) -> None:
    how = 'bash: eval "$(easy-pocket completion bash)"; fish: easy-pocket completion fish | source'
    completion = commands.add_parser("completion", more=how)
    completion.add_argument("shell", choices=SHELLS)
    completion.set_defaults(run=run)


def run(chosen: argparse.Namespace) -> None:
    from argcomplete.shell_integration import shellcode

    print(shellcode(["easy-pocket"], shell=chosen.shell))
