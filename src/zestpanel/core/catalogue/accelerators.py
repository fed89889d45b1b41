"""What computes beside the processor, of any make: as kernel and usual tools tell, and as the lead states.

The tools are those of two open standards: OpenCL's (``clinfo --raw``) and Vulkan's (``vulkaninfo``). What none of them
tells is not known, never "none".
"""

from __future__ import annotations

import contextlib
import json
import re
import subprocess
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Final

import platformdirs

from zestpanel.core.own_files import write_whole
from zestpanel.core.secrets.environment import for_programs
from zestpanel.core.texts import tr

MOST_MB: Final = 10_000_000
_PATIENCE_S: Final = 5.0
_PCI: Final = ("0x03", "0x12")  # classes: display controllers, processing accelerators
# in bytes, as drivers in the kernel state it
_IN_SYSFS: Final = ("card*/device/mem_info_vram_total", "card*/lmem_total_bytes", "card*/device/lmem_total_bytes")
_MB: Final = 1_000_000


@dataclass(frozen=True, slots=True)
class Accelerator:
    """memory_mb: None where it does not say. told_by: 'the kernel', 'clinfo', 'vulkaninfo' or 'you'."""

    name: str
    memory_mb: int | None
    told_by: str


@lru_cache(maxsize=1)
def found_accelerators() -> tuple[Accelerator, ...]:
    """What kernel and tools tell, the largest first; the tools may take seconds, once."""
    found = [*_from_kernel(), *_from_tool(("clinfo", "--raw"), from_clinfo), *_from_tool(("vulkaninfo",), from_vulkan)]
    return tuple(sorted(found, key=lambda one: -(one.memory_mb or 0)))


def looked_for() -> bool:
    """Whether kernel and tools were asked, so that the answer is there at once."""
    return found_accelerators.cache_info().currsize > 0


def accelerators() -> tuple[Accelerator, ...]:
    """What is known at once: as the lead states, then as was found; the kernel's word alone while no tool was asked
    yet (``found_accelerators`` asks them), so that nobody waits for programs who only wants to know what runs here."""
    stated = stated_accelerator()
    found = found_accelerators() if looked_for() else _from_kernel()
    return (stated, *found) if stated is not None else found


@lru_cache(maxsize=1)
def _from_kernel() -> tuple[Accelerator, ...]:
    sizes = []
    for pattern in _IN_SYSFS:
        for path in Path("/sys/class/drm").glob(pattern):
            with contextlib.suppress(OSError, ValueError):
                sizes.append(int(path.read_text()) // _MB)
    if sizes:
        return tuple(Accelerator(tr("display device"), size, tr("the kernel")) for size in sizes)
    for path in Path("/sys/bus/pci/devices").glob("*/class"):
        with contextlib.suppress(OSError):
            if path.read_text().startswith(_PCI):
                return (Accelerator(tr("display device"), None, tr("the kernel")),)
    nodes = any(Path("/dev/dri").glob("renderD*")) or any(Path("/dev/accel").glob("*"))
    return (Accelerator(tr("device for computing"), None, tr("the kernel")),) if nodes else ()


def _from_tool(call: tuple[str, ...], read: Callable[[str], list[Accelerator]]) -> list[Accelerator]:
    try:
        done = subprocess.run(call, capture_output=True, text=True, errors="replace", timeout=_PATIENCE_S,
                              env=for_programs({}), stdin=subprocess.DEVNULL, check=False)  # fmt: skip
    except (OSError, subprocess.TimeoutExpired):
        return []
    return read(done.stdout[:_MB])


def from_clinfo(text: str) -> list[Accelerator]:
    """Devices that ``clinfo --raw`` lists, save processors: a line is '[PLATFORM/0] CL_DEVICE_TYPE value'."""
    devices: dict[str, dict[str, str]] = {}
    for line in text.splitlines():
        if match := re.match(r"\[([^\]]+/\d+)\]\s+CL_DEVICE_(NAME|TYPE|GLOBAL_MEM_SIZE)\s+(.+?)\s*$", line):
            devices.setdefault(match[1], {}).setdefault(match[2], match[3])
    return [
        Accelerator(one.get("NAME", "device"), _size(one.get("GLOBAL_MEM_SIZE", "")), "clinfo")
        for one in devices.values()
        if "TYPE" in one and "CL_DEVICE_TYPE_CPU" not in one["TYPE"]
    ]


def from_vulkan(text: str) -> list[Accelerator]:
    """Devices that ``vulkaninfo`` lists, save processors: the largest heap of a device that is its own memory."""
    found = []
    for part in re.split(r"(?m)^GPU\d+:$", text)[1:]:
        kind, name = (re.search(rf"(?m)^\s*{field}\s*=\s*(.+?)\s*$", part) for field in ("deviceType", "deviceName"))
        if kind is None or kind[1].endswith("_CPU"):
            continue
        heaps = re.findall(r"memoryHeaps\[\d+\]:\s+size\s*=\s*(\d+)((?:(?!memoryHeaps\[|memoryTypes)[\s\S])*)", part)
        own = [_size(size) for size, flags in heaps if "DEVICE_LOCAL_BIT" in flags]
        sizes = [size for size in own if size is not None]
        found.append(Accelerator(name[1] if name else "device", max(sizes, default=None), "vulkaninfo"))
    return found


def _size(text: str) -> int | None:
    return min(MOST_MB, int(text) // _MB) if text.isdigit() and len(text) < 20 else None


# -- as the lead states


def _file() -> Path:
    return platformdirs.user_config_path("zestpanel", appauthor=False) / "machine.json"


def stated_accelerator() -> Accelerator | None:
    """What the lead stated of this machine; None where nothing was, or what is written there cannot be read."""
    try:
        written = json.loads(_file().read_text(encoding="utf-8"))
        memory = written["accelerator_mb"]
        return Accelerator(tr("as you state"), int(memory) if memory is not None else None, "you")
    except (OSError, ValueError, TypeError, KeyError):
        return None


def state_accelerator(there: bool, memory_mb: int | None = None) -> None:
    """There is one, of so much memory where that is known; or take the statement back. Raises OSError."""
    if there:
        _file().parent.mkdir(parents=True, exist_ok=True)
        write_whole(_file(), json.dumps({"accelerator_mb": memory_mb}).encode())
    else:
        _file().unlink(missing_ok=True)
