"""How a run is followed without a window: a bar on a terminal, plain lines elsewhere; each failure with whom and what,
equal reasons counted once."""

from __future__ import annotations

import sys
import time
from collections import Counter
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any, Final, TypeVar

from zestpanel.core.signs import harmless
from zestpanel.verbs.terminal import say

if TYPE_CHECKING:  # a verb that tells nothing of a run starts without loading what runs need
    from zestpanel.core.runs.execute.events import RunEvent

T = TypeVar("T")

_EVERY_S: Final = 10.0  # between plain lines
_MOST_OF_A_REASON: Final = 3  # failures of one reason that are named each


class Teller:
    """``on_event`` for a run; ``close`` ends the bar and says how often each reason was met."""

    def __init__(self, total: int, *, quiet: bool = False) -> None:
        self._total, self._quiet = total, quiet
        self._over = self._failed = 0
        self._reasons: Counter[str] = Counter()
        self._said_at = time.monotonic()
        self._bar: Any = None
        self._task: Any = None
        if not quiet and sys.stderr.isatty():
            self._bar, self._task = _bar(total, "rendering")

    def on_event(self, event: RunEvent) -> None:
        if event.kind in ("kept", "failed"):
            self._over += 1
            self._failed += event.kind == "failed"
            self._go_on()
        if event.kind == "failed" and event.job is not None:
            self._reasons[event.text] += 1
            if self._reasons[event.text] <= _MOST_OF_A_REASON:
                from zestpanel.core.runs.execute.run_log import named

                self._say(f"  failed: {named(event.job)}: {event.text}")
        elif event.kind in ("held", "waiting", "told"):
            self._reasons[f"{event.kind}: {event.text}"] += 1
            if self._reasons[f"{event.kind}: {event.text}"] == 1:
                self._say(f"  {event.kind}: {event.text}")

    def _go_on(self) -> None:
        if self._bar is not None:
            self._bar.update(self._task, completed=self._over)
        elif not self._quiet and time.monotonic() - self._said_at > _EVERY_S:
            self._said_at = time.monotonic()
            self._say(f"  {self._over} of {self._total}" + (f", {self._failed} failed" if self._failed else ""))

    def _say(self, text: str) -> None:
        if self._bar is not None:
            self._bar.console.print(harmless(text), markup=False, highlight=False)
        else:
            say(text, sys.stderr)

    def close(self) -> None:
        if self._bar is not None:
            self._bar.stop()
        for reason, count in self._reasons.most_common():
            if count > _MOST_OF_A_REASON and not reason.startswith(("held: ", "waiting: ", "told: ")):
                self._say(f"  {count} takes failed alike: {reason}")


class Counted:
    """Plain lines, one every ten seconds, for work whose end is not known before."""

    def __init__(self, what: str, *, quiet: bool = False) -> None:
        self._what, self._quiet = what, quiet
        self._done, self._said_at = 0, time.monotonic()

    def one_more(self) -> None:
        self._done += 1
        if not self._quiet and time.monotonic() - self._said_at > _EVERY_S:
            self._said_at = time.monotonic()
            say(f"  {self._done:,} {self._what}", sys.stderr)


def each(items: Sequence[T], what: str) -> Iterator[T]:
    """The items one after another, with a bar on a terminal and a line every ten seconds elsewhere."""
    bar, task = _bar(len(items), what) if len(items) > 1 and sys.stderr.isatty() else (None, None)
    said_at = time.monotonic()
    try:
        for at, item in enumerate(items):
            yield item
            if bar is not None:
                bar.update(task, completed=at + 1)
            elif time.monotonic() - said_at > _EVERY_S:
                said_at = time.monotonic()
                say(f"  {at + 1} of {len(items)} {what}", sys.stderr)
    finally:
        if bar is not None:
            bar.stop()


def _bar(total: int, what: str) -> tuple[Any, Any]:
    from rich.console import Console
    from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

    bar = Progress(TextColumn(what), BarColumn(), MofNCompleteColumn(), TimeRemainingColumn(),
                   console=Console(stderr=True), transient=True)  # fmt: skip
    bar.start()
    return bar, bar.add_task(what, total=total)


@contextmanager
def told(total: int, *, quiet: bool = False) -> Iterator[Teller]:
    teller = Teller(total, quiet=quiet)
    try:
        yield teller
    finally:
        teller.close()
