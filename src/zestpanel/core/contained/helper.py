"""The process that takes bytes apart: one job after another from standard input, until that ends.

It has a limit on memory, on the time of the processor for each job, and may write no file.
"""

from __future__ import annotations

import contextlib
import os
import resource
import sys
from collections.abc import Callable
from typing import Any, Final

from zestpanel.core.contained.frames import packed, unpacked
from zestpanel.core.errors import ZestError

MOST_MEMORY: Final = 500_000_000
Job = Callable[[bytes, dict[str, Any]], tuple[dict[str, Any], bytes | memoryview]]


def jobs(name: str) -> Job:
    """What can be asked for; each is loaded when it is first needed."""
    if name == "script":
        from zestpanel.core.passages.readers.reading import script_job

        return script_job
    if name == "sound":
        from zestpanel.core.audio.decoding import sound_job

        return sound_job
    if name == "frames":
        from zestpanel.core.connectors.arrival import frames_job

        return frames_job
    raise ValueError(name)


def answer(asked: dict[str, Any], data: bytes) -> tuple[dict[str, Any], bytes | memoryview]:
    """What came of a job: its own answer, our sentence on why there is none, or only that there is none."""
    try:
        return jobs(asked["job"])(data, asked)
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
