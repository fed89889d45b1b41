"""Which system libraries are missing, found by trying to load them.

Run as a script (with nothing of this package importable yet) it prints the Debian packages that
would bring what is missing, and nothing when all is there.
"""

from __future__ import annotations

import ctypes
import shutil
import sys

# library file -> the Debian package that brings it
DESK_LIBRARIES = {
    "libpulse.so.0": "libpulse0",
    "libEGL.so.1": "libegl1",
    "libGL.so.1": "libgl1",
    "libdbus-1.so.3": "libdbus-1-3",
    "libfontconfig.so.1": "libfontconfig1",
    "libglib-2.0.so.0": "libglib2.0-0",
    "libxkbcommon.so.0": "libxkbcommon0",
    "libxkbcommon-x11.so.0": "libxkbcommon-x11-0",
    "libxcb-cursor.so.0": "libxcb-cursor0",
    "libxcb-icccm.so.4": "libxcb-icccm4",
    "libxcb-keysyms.so.1": "libxcb-keysyms1",
    "libxcb-image.so.0": "libxcb-image0",
    "libxcb-render-util.so.0": "libxcb-render-util0",
    "libxcb-shape.so.0": "libxcb-shape0",
    "libxcb-xinerama.so.0": "libxcb-xinerama0",
}
TEST_PROGRAMS = {
    "Xvfb": "xvfb",
    "pulseaudio": "pulseaudio",
    "pactl": "pulseaudio-utils",
    "chromium": "chromium",
    "chromedriver": "chromium-driver",
}


def missing_packages(*, tests: bool = False) -> list[str]:
    """Debian packages for the libraries (and, for tests, programs) that cannot be loaded here."""
    missing = []
    for library, package in DESK_LIBRARIES.items():
        try:
            ctypes.CDLL(library)
        except OSError:
            missing.append(package)
    if tests:
        missing += [pkg for program, pkg in TEST_PROGRAMS.items() if shutil.which(program) is None]
    return missing


if __name__ == "__main__":
    print(" ".join(missing_packages(tests="--tests" in sys.argv)))
