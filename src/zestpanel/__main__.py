"""The command line: the window, and the same work without one."""

from __future__ import annotations

import os
import sys
from typing import NoReturn


def main(arguments: list[str] | None = None) -> int:
    """Run a verb; returns the exit status: 0 done, 1 done with failures, 2 bad input."""
    given = sys.argv[1:] if arguments is None else arguments
    if not {"open", "demo"} & set(given[:2]):
        os.environ["ZEST_LANGUAGE"] = "en"  # a terminal's lines are read by programs, too, and stay as they are
    from zestpanel.command_line import run

    return run(given)


def ending() -> NoReturn:
    """Run, and end as a program does, with or without a window."""
    status = main()
    if desk := sys.modules.get("zestpanel.desk.application"):
        desk.leave(status)
    sys.exit(status)


if __name__ == "__main__":
    ending()
