"""The process that takes bytes apart: one job after another from standard input, until that ends.

It has a limit on memory, on the time of the processor for each job, and may write no file.
"""

from __future__ import annotations

import contextlib
import os
import resource
import sys
from collections.abc import Callable
from importlib import import_module
from typing import Any, Final

from zestpanel.core.contained.frames import packed, unpacked
from zestpanel.core.errors import ZestError

MOST_MEMORY: Final = 500_000_000
Job = Callable[[bytes, dict[str, Any]], tuple[dict[str, Any], bytes | memoryview]]


# what can be asked for, by name: module and function. Loaded when first needed, and by name, since whoever takes apart
# asks through this package and so stands above it.
JOBS: Final = {
    "script": ("zestpanel.core.text.readers.reading", "script_job"),
    "sound": ("zestpanel.core.audio.decoding", "sound_job"),
    "frames": ("zestpanel.core.connectors.arrival", "frames_job"),
}


def job(name: str) -> Job:
    module, function = JOBS[name]
    found: Job = getattr(import_module(module), function)
    return found


def answer(asked: dict[str, Any], data: bytes) -> tuple[dict[str, Any], bytes | memoryview]:
    """What came of a job: its own answer, our sentence on why there is none, or only that there is none."""
    try:
        return job(asked["job"])(data, asked)
    except ZestError as error:
        return {"what": error.what, "kept": error.kept, "remedy": error.remedy}, b""
    except MemoryError:
        return {"failed": "memory"}, b""
    except Exception as error:  # whatever a library makes of bytes that are made to harm it
        return {"failed": "odd", "as": type(error).__name__}, b""


def _limit_processor(seconds: float) -> None:
    used = resource.getrusage(resource.RUSAGE_SELF)
    whole = int(used.ru_utime + used.ru_stime + seconds) + 1
    resource.setrlimit(resource.RLIMIT_CPU, (whole, resource.RLIM_INFINITY))


def serve() -> None:
    """Until standard input ends."""
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    resource.setrlimit(resource.RLIMIT_FSIZE, (0, 0))
    resource.setrlimit(resource.RLIMIT_DATA, (MOST_MEMORY, MOST_MEMORY))
    sys.dont_write_bytecode = True
    replies = os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)  # what a library prints goes nowhere near an answer
    while (asked := unpacked(sys.stdin.buffer.read)) is not None:
        head, data = asked
        _limit_processor(float(head["seconds"]))
        found, blob = answer(head, data)
        del asked, data
        with contextlib.suppress(BrokenPipeError):
            replies.write(packed(found, len(blob)))
            replies.write(blob)
            replies.flush()


if __name__ == "__main__":
    serve()
