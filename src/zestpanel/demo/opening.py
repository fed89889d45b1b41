"""`zestpanel demo`: open the demo with the stand-ins running; what is not made yet is made while one looks on."""

from __future__ import annotations

import contextlib
import os
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

from zestpanel.demo.building import begin, build_traps, demo_folder, go_on, is_whole, renew_engines, stand_in_service


def open_demo(
    *,
    offscreen: bool = False,
    shots: Path | None = None,
    rebuild: bool = False,
    build_only: bool = False,
    traps: bool = False,
) -> int:
    """Build what is missing and open it. traps: the project in which every candidate has something in its way.

    Returns the exit status: 2 where there is no display and none is needed.
    """
    if not (offscreen or build_only or os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY")):
        print(
            "There is no display to open a window on. Start this from a desktop session, or write pictures with: "
            "./zest demo --offscreen --shots DIR",
            file=sys.stderr,
        )
        return 2
    folder = demo_folder(traps=traps)
    with contextlib.ExitStack() as stack:
        stack.enter_context(stand_in_service())
        if rebuild or not folder.exists():
            build_traps(folder) if traps else begin(folder)
        renew_engines(folder)
        whole = traps or is_whole(folder)
        if not whole and (build_only or offscreen):
            began = time.monotonic()
            print("Building the demo: every clip is synthesised on this machine ...", flush=True)
            go_on(folder, lambda text: print(text, flush=True))
            print(f"Built in {time.monotonic() - began:.0f} s: {folder}", flush=True)
        if build_only:
            return 0
        if offscreen:
            from zestpanel.desk.shots import write_shots

            for path in write_shots(folder, shots or Path("shots")):
                print(path)
            return 0
        from zestpanel.desk.application import open_window

        if not whole:
            print("The window fills while clips are synthesised on this machine; some minutes.", flush=True)
            stack.enter_context(filling())
        return open_window(folder)


@contextlib.contextmanager
def filling() -> Iterator[None]:
    """Another program makes what is left, as any second program may; it ends with the window, and goes on next time."""
    process = subprocess.Popen(
        [sys.executable, "-m", "zestpanel", "demo", "--build-only"], stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )  # fmt: skip
    try:
        yield
    finally:
        process.terminate()
        process.wait()
