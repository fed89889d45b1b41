"""What stops a run besides its end: the disk is full, nothing is reached, a key is refused, an allowance is used up."""

from __future__ import annotations

import errno
import math
from typing import Final

from zestpanel.core.errors import SynthesisFailure
from zestpanel.core.store.storage_trouble import StorageTrouble
from zestpanel.core.texts import tr

IN_A_ROW: Final = 3  # takes given up in a row before an engine is held for it
DOWN: Final = ("unreachable", "broke off", "server error")  # kinds that say so
LONGEST_WAIT_S: Final = 900.0  # that a run waits by itself because a service asked it to
_FULL: Final = (errno.ENOSPC, errno.EDQUOT)


def stops_engine(failure: SynthesisFailure) -> str:
    """Why every further request to the engine would fail alike; '' when it would not."""
    if failure.was == "no allowance" or failure.stops:
        return failure.what
    if failure.was == "limited" and failure.retry_after_s is not None and failure.retry_after_s > LONGEST_WAIT_S:
        return tr(
            "{what} It asks to wait {duration_words}: go on then.",
            what=failure.what,
            duration_words=duration_words(failure.retry_after_s),
        )
    if failure.was == "refused" and failure.of_key:
        return tr("{what} Its key is not accepted any more.", what=failure.what)
    return ""


def duration_words(seconds: float) -> str:
    """'40 s', '12 min', '5 h', '31 years'."""
    for unit, size, up_to in (("s", 1, 120), ("min", 60, 7200), ("h", 3600, 172_800), ("days", 86_400, 63_072_000)):
        if seconds < up_to:
            return f"{math.ceil(seconds / size)} {unit}"
    return tr("{seconds} years", seconds=f"{seconds / 31_557_600:,.0f}")


def disk_trouble(error: BaseException) -> str:
    """A sentence where nothing more can be stored, '' for any other error."""
    if (isinstance(error, OSError) and error.errno in _FULL) or (
        isinstance(error, StorageTrouble) and error.kind == "full"
    ):
        return tr("The disk is full: finished takes are kept, nothing more can be stored. Make room, then go on.")
    if isinstance(error, OSError) and error.errno in (errno.EROFS, errno.EACCES, errno.EIO):
        return tr(
            "The project folder cannot be written to ({strerror}): finished takes are kept.", strerror=error.strerror
        )
    return ""
