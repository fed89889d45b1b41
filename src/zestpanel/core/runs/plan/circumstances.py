"""Where and on what a timing is taken: the machine, its network, and whether it slept meanwhile."""

from __future__ import annotations

import os
import platform
import time
from pathlib import Path
from typing import Final

SLEPT_FROM_S: Final = 0.05  # below this the two clocks differ by their reading only
_ROUTES: Final = Path("/proc/net/route")
_INTERFACES: Final = Path("/sys/class/net")


def describe_machine() -> str:
    """The machine a timing was taken on, without its name; the same words whatever the language of the interface."""
    on = f"{platform.system()} {platform.machine()}"
    return f"{on}, {os.cpu_count()} cores, Python {platform.python_version()}"


def describe_network(routes: Path = _ROUTES, interfaces: Path = _INTERFACES) -> str:
    """The kind of network in use, without names or addresses, the same in every language: 'wired', 'wireless',
    'tunnel', 'none', 'unknown'."""
    try:
        lines = [line.split() for line in routes.read_text().splitlines()[1:]]
    except OSError:
        return "unknown"
    way = next((line[0] for line in lines if len(line) > 7 and line[1] == "00000000" and line[7] == "00000000"), "")
    if not way:
        return "none"
    if (interfaces / way / "wireless").exists():
        kind = "wireless"
    else:
        kind = "tunnel" if way.startswith(("tun", "wg", "ppp")) else "wired"
    proxied = any(os.environ.get(name) for name in ("https_proxy", "HTTPS_PROXY", "all_proxy", "ALL_PROXY"))
    return f"{kind}, through a proxy" if proxied else kind


def asleep_s() -> float:
    """Seconds the machine has slept since it was started: the clock that counts sleep less the one that does not.

    Source: Linux clock_gettime(2), CLOCK_BOOTTIME and CLOCK_MONOTONIC. 0 where the first does not exist.
    """
    clock = getattr(time, "CLOCK_BOOTTIME", None)
    if clock is None:
        return 0.0
    return max(0.0, time.clock_gettime(clock) - time.clock_gettime(time.CLOCK_MONOTONIC))
