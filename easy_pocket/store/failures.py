"""Why the database could not do something, told apart by MariaDB's numbers: gone, busy, disk full, read-only."""

from __future__ import annotations

import errno
from enum import Enum

from sqlalchemy.exc import DBAPIError
from sqlalchemy.exc import TimeoutError as PoolTimeoutError


class Failure(Enum):
    UNREACHED = "unreached"
    BUSY = "busy"
    DISK_FULL = "disk full"
    READ_ONLY = "read-only"
    REFUSED = "refused"


UNREACHED = {1040, 1045, 1047, 1053, 1077, 1079, 1158, 1159, 1160, 1161, 1203, 1927, 2002, 2003, 2005, 2006, 2013, 2055}
BUSY = {1205, 1213}
DISK_FULL = {1021, 1114}
READ_ONLY = {1036, 1290, 1836}
BY_ERRNO = {errno.ENOSPC: Failure.DISK_FULL, errno.EDQUOT: Failure.DISK_FULL, errno.EROFS: Failure.READ_ONLY}


def failure_of(error: BaseException) -> Failure:
    """What kind of failure an error of the database, or of the disk, is."""
    if isinstance(error, PoolTimeoutError):
        return Failure.UNREACHED
    if isinstance(error, OSError):
        return BY_ERRNO.get(error.errno or 0, Failure.REFUSED)
    if not isinstance(error, DBAPIError):
        return Failure.REFUSED
    arguments: tuple[object, ...] = getattr(error.orig, "args", ())
    number = next((one for one in arguments[:1] if isinstance(one, int)), 0)
    text = " ".join(str(one) for one in arguments[1:2])
    if number in DISK_FULL or any(f"Errcode: {code}" in text or f"error {code} " in text for code in (28, 122)):
        return Failure.DISK_FULL
    if number in READ_ONLY or "Errcode: 30" in text:
        return Failure.READ_ONLY
    if number in BUSY:
        return Failure.BUSY
    # No number: the connection broke in the middle, or was refused.
    if number in UNREACHED or error.connection_invalidated or number == 0:
        return Failure.UNREACHED
    return Failure.REFUSED
