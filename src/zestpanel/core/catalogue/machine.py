"""This machine held against what a local model needs: runs, slow, cannot or unknown, and why."""

from __future__ import annotations

import os
import shutil
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

import psutil

from zestpanel.core.catalogue.accelerators import accelerators
from zestpanel.core.catalogue.ledger import Known
from zestpanel.core.texts import tr


@dataclass(frozen=True, slots=True, kw_only=True)
class Machine:
    """What there is, in MB. video_memory_mb: None where no accelerator tells. accelerator: whether there is one that
    may compute, whatever its make and although it does not say how large it is."""

    cores: int
    memory_mb: int
    free_memory_mb: int
    free_disk_mb: int
    video_memory_mb: int | None
    accelerator: bool = False


def this_machine(folder: Path | None = None) -> Machine:
    """Measured now; the disk is the one ``folder`` is on. Of accelerators what is known
    at once."""
    memory, there = psutil.virtual_memory(), accelerators()
    return Machine(
        cores=os.cpu_count() or 1,
        memory_mb=memory.total // 1_000_000,
        free_memory_mb=memory.available // 1_000_000,
        free_disk_mb=shutil.disk_usage(folder or Path.home()).free // 1_000_000,
        video_memory_mb=next((one.memory_mb for one in there if one.memory_mb is not None), None),
        accelerator=bool(there),
    )


Verdict = Literal["runs", "slow", "cannot", "unknown"]


def fits(needs: Mapping[str, Known], machine: Machine) -> tuple[Verdict, list[str]]:
    """(verdict, reasons) for a model's facts. Unknown only where the file states no need at all."""
    reasons: list[str] = []
    worst: Verdict = "unknown"

    def found(verdict: Verdict, why: str) -> None:
        nonlocal worst
        order: list[Verdict] = ["unknown", "runs", "slow", "cannot"]
        worst = max(worst, verdict, key=order.index)
        if why:
            reasons.append(why)

    memory, disk, video = (_number(needs, name) for name in ("memory", "disk", "video memory"))
    if memory is not None:
        if memory > machine.memory_mb:
            found(
                "cannot",
                tr(
                    "needs {memory} MB of memory, this machine has {memory_mb}",
                    memory=f"{memory:,.0f}",
                    memory_mb=f"{machine.memory_mb:,}",
                ),
            )
        elif memory > machine.free_memory_mb:
            found(
                "slow",
                tr(
                    "needs {memory} MB of memory, {free_memory_mb} are free now",
                    memory=f"{memory:,.0f}",
                    free_memory_mb=f"{machine.free_memory_mb:,}",
                ),
            )
        else:
            found("runs", "")
    if disk is not None:
        short = disk > machine.free_disk_mb
        why = (
            tr(
                "needs {disk} MB on disk, {free_disk_mb} are free",
                disk=f"{disk:,.0f}",
                free_disk_mb=f"{machine.free_disk_mb:,}",
            )
            if short
            else ""
        )
        found("cannot" if short else "runs", why)
    needs_accelerator = needs.get("needs an accelerator")
    must = needs_accelerator is not None and needs_accelerator.state == "yes"
    if video is not None or must:
        have = machine.video_memory_mb
        if have is None and machine.accelerator:
            size = tr(" of {video} MB", video=f"{video:,.0f}") if video is not None else ""
            reasons.append(tr("needs an accelerator{size}; there is one that does not say what it has", size=size))
        elif have is None:
            reasons.append(tr("needs an accelerator, and none was found: state it under This machine if there is one"))
            found("unknown" if must else "slow", "")  # what is not known bars nothing
        elif have is not None and video is not None and video > have:
            found(
                "cannot" if must else "slow",
                tr("needs {video} MB of video memory, there are {have}", video=f"{video:,.0f}", have=f"{have:,}"),
            )
        else:
            found("runs", "")
    return worst, reasons


def _number(needs: Mapping[str, Known], name: str) -> float | None:
    one = needs.get(name)
    values = [s.value for s in one.statements] if one else []
    numbers = [float(v) for v in values if isinstance(v, int | float) and not isinstance(v, bool)]
    return max(numbers, default=None)
