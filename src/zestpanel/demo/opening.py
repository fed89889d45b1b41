"""`zestpanel demo`: build the demo once, then open it with the stand-ins running."""

from __future__ import annotations

import contextlib
import os
import sys
import time
from pathlib import Path

from zestpanel.demo.building import build, build_traps, demo_folder, renew_engines, stand_in_service


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
            began = time.monotonic()
            if traps:
                build_traps(folder)
            else:
                print("Building the demo: every clip is synthesised on this machine ...", flush=True)
                build(folder, lambda text: print(text, flush=True))
            print(f"Built in {time.monotonic() - began:.0f} s: {folder}", flush=True)
        renew_engines(folder)
        if build_only:
            return 0
        if offscreen:
            from zestpanel.desk.shots import write_shots

            for path in write_shots(folder, shots or Path("shots")):
                print(path)
            return 0
        from zestpanel.desk.application import open_window

        return open_window(folder)
