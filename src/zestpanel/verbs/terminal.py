"""What verbs write: lines and JSON that no sign from somebody's file can turn into something else on a terminal."""

from __future__ import annotations

import io
import json
import os
import sys
from typing import Any, TextIO

from zestpanel.core.signs import harmless, harmless_json


def prepare() -> None:
    """A terminal that cannot write a sign loses the sign, never the verb."""
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="replace")


def say(text: str, to: TextIO | None = None) -> None:
    print(harmless(text), file=to or sys.stdout, flush=True)


def say_json(value: Any) -> None:
    print(harmless_json(json.dumps(value, ensure_ascii=False, indent=2, default=str)), flush=True)


def nobody_reads() -> int:
    """Whoever read the lines went away, as ``head`` does: nothing more is written, nor at the end of the program."""
    os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
    return 1
