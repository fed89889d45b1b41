"""What to send along with a bug report: versions, this machine, the project's shape and its last log lines. No key."""

from __future__ import annotations

import os
import platform
import re
from importlib.metadata import PackageNotFoundError, version
from typing import Final, Protocol

from zestpanel import __version__
from zestpanel.core.catalogue.machine import this_machine
from zestpanel.core.connectors.preflight import secret_of
from zestpanel.core.errors import SynthesisFailure
from zestpanel.core.secrets.keys import find_secret
from zestpanel.core.secrets.masking import masked
from zestpanel.core.store.parts import HasJournal, HasShortlist, HasTakes, HasTexts
from zestpanel.core.store.shortlist import Shortlist


class ReportParts(HasShortlist, HasTexts, HasTakes, HasJournal, Protocol):
    """What is counted in a report."""


_PACKAGES: Final = ("PyQt6", "numpy", "scipy", "soundfile", "httpx", "websockets", "av", "SQLAlchemy", "pydantic")


def bug_report(project: ReportParts) -> str:
    """Text for people to look through before they send it. Names of texts, voices and listeners are not in it."""
    machine = this_machine()
    engines = project.shortlist.engines()
    failures: dict[str, int] = {}
    journal = project.journal.rows()
    for row in journal:
        if row.failure_kind:
            failures[row.failure_kind] = failures.get(row.failure_kind, 0) + 1
    last = [row.failure_text for row in journal if row.failure_text][-5:]
    lines = [
        f"Zest Panel {__version__}, Python {platform.python_version()}, {platform.system()} {platform.release()}",
        f"{machine.cores} cores, {machine.memory_mb:,} MB of memory ({machine.free_memory_mb:,} free)",
        "packages: " + ", ".join(f"{name} {_version(name)}" for name in _PACKAGES),
        f"engines by kind: {', '.join(sorted(e.speak.kind for e in engines.values())) or 'none'}",
        f"{len(project.shortlist.candidates())} candidates, {len(project.texts.all())} passages, "
        f"{len(project.takes.all(with_timing=False))} takes, {len(journal)} requests",
        "failures: " + (", ".join(f"{kind} {n}" for kind, n in sorted(failures.items())) or "none"),
        *(f"  {text}" for text in last),
    ]
    return masked("\n".join(lines), known_secrets(project.shortlist)).replace(os.path.expanduser("~"), "~")


def known_secrets(shortlist: Shortlist) -> tuple[str, ...]:
    """The values of all keys that the project's engines ask for, and of those in the environment, to be masked."""
    values = [value for name, value in os.environ.items() if re.match(r"ZEST_SECRET_", name)]
    for engine in shortlist.engines().values():
        if secret := secret_of(engine):
            try:
                values.append(find_secret(secret))
            except SynthesisFailure:
                continue
    return tuple(value for value in values if value)


def _version(package: str) -> str:
    try:
        return version(package)
    except PackageNotFoundError:
        return "–"
