"""What leaves the program at a sound device, in a server of its own."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
from tests import sound_journey
from tests.sound_server import SoundServer, swaps_heard

from benchmarks.core_rows import Rows
from benchmarks.timing import seconds

SWAPS = 48


def key_to_sound() -> Rows:
    """From a digit key to the other voice, as it comes from the server: what the server takes is in it."""
    with tempfile.TemporaryDirectory() as folder, SoundServer() as server:
        path = Path(folder) / "Sound.zest"
        sound_journey.make(path)
        server.listen()
        done = subprocess.run(
            [sys.executable, "-m", "tests.sound_journey", str(path), "swap", str(SWAPS)], check=True, text=True,
            env={**os.environ, **server.environment}, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL,
        )  # fmt: skip
        keys = [float(line.split()[1]) for line in done.stdout.splitlines() if line.startswith("key")]
        took = [one.after_s for one in swaps_heard(server, keys)]
    return [
        (
            f"digit key to the other voice at the sound device, median of {SWAPS}",
            seconds(float(np.median(took))),
            "60 ms",
        ),
        ("  nine of ten within", seconds(float(np.percentile(took, 90))), ""),
    ]


ROWS: list[tuple[str, Callable[[], Rows]]] = [("key to sound", key_to_sound)]
