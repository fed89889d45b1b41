"""A virtual screen of a test's own."""

from __future__ import annotations

import os
import shutil
import subprocess
from collections.abc import Iterator
from contextlib import contextmanager


@contextmanager
def virtual_screen(size: str = "1400x900") -> Iterator[str]:
    """The name of its display."""
    program = shutil.which("Xvfb")
    assert program is not None, "Xvfb is needed: ./zest test installs it"
    read, write = os.pipe()
    process = subprocess.Popen([program, "-displayfd", str(write), "-screen", "0", f"{size}x24", "-nolisten", "tcp"],
                               pass_fds=[write], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)  # fmt: skip
    os.close(write)
    with os.fdopen(read) as number:
        display = f":{number.readline().strip()}"
    try:
        yield display
    finally:
        process.terminate()
        process.wait()
