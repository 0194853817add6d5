"""Which user of this machine a connection on loopback belongs to, as the kernel tells."""

from __future__ import annotations

import os
import socket
import struct
from pathlib import Path

TABLE = Path("/proc/net/tcp")
ROOT = 0


def is_same_user(client: tuple[str, int] | None, server: tuple[str, int] | None) -> bool:
    """Whether the other end belongs to the user this program runs as, or to root; False where that cannot be told."""
    if client is None or server is None:
        return False
    owner = _owner(client, server)
    return owner is not None and owner in (os.getuid(), ROOT)


def _owner(mine: tuple[str, int], other: tuple[str, int]) -> int | None:
    try:
        near, far = _as_kernel(mine), _as_kernel(other)
        with TABLE.open() as table:
            next(table)
            for line in table:
                fields = line.split()
                if fields[1] == near and fields[2] == far:
                    return int(fields[7])
    except (OSError, ValueError, IndexError, StopIteration):
        return None
    return None


def _as_kernel(address: tuple[str, int]) -> str:
    (number,) = struct.unpack("=I", socket.inet_aton(address[0]))
    return f"{number:08X}:{address[1]:04X}"
