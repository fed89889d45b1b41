"""The command line: the window, and the same work without one."""

from __future__ import annotations

import sys


def main(arguments: list[str] | None = None) -> int:
    """Run a verb; returns the exit status: 0 done, 1 done with failures, 2 bad input."""
    from zestpanel.command_line import run

    return run(sys.argv[1:] if arguments is None else arguments)


if __name__ == "__main__":
    sys.exit(main())
