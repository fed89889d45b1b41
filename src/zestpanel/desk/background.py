"""Work off the interface thread: a function runs on a pool, its result comes back on the interface thread."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from threading import Event
from typing import Any, Final

from PyQt6 import sip
from PyQt6.QtCore import QEvent, QObject, QRunnable, QThreadPool, QTimer, pyqtSignal
from PyQt6.QtWidgets import QWidget

from zestpanel.core.waiting import Cancelled, give_way, giving_way, nobody_waits

_LONGEST_ASIDE_S: Final = 0.25
_PAUSE_MS: Final = 10  # twice: what is laid out is painted, and what has changed its size is laid out again


@dataclass(eq=False, slots=True)
class _Asked:
    topic: str
    number: int  # of those of its topic
    on_done: Callable[[Any], None]
    on_failed: Callable[[Exception], None]


_Came = tuple[_Asked, Any, Exception | None]


class _Relay(QObject):
    """Brings results to the interface thread. One for all work, and it outlives it: a QObject for each piece of work
    could be let go by the working thread while the interface still hears it."""

    came = pyqtSignal(object)  # (asked, result, error)


def _nothing(_: Any) -> None:
    pass


def _asker_is_gone(answer: Callable[..., object]) -> bool:
    """Whether what an answer is for was freed meanwhile, as a dialog is that was closed: its method, or a function that
    holds it."""
    while isinstance(answer, partial):
        answer = answer.func
    held = [getattr(answer, "__self__", None)]
    for cell in getattr(answer, "__closure__", None) or ():
        with contextlib.suppress(ValueError):  # of a name that has no value yet
            held.append(cell.cell_contents)
    return any(isinstance(one, sip.wrapper) and sip.isdeleted(one) for one in held)


class _Work(QRunnable):
    def __init__(
        self, function: Callable[[], Any], asked: _Asked, relay: _Relay, replaced: Cancelled, aside: Callable[[], None]
    ) -> None:
        super().__init__()
        self._function, self._asked, self._relay, self._replaced, self._aside = function, asked, relay, replaced, aside

    def run(self) -> None:
        came: _Came
        try:
            with giving_way(self._replaced, self._aside):
                give_way()  # it may have waited long for its turn
                came = self._asked, self._function(), None
        except Exception as error:
            came = self._asked, None, error
        with contextlib.suppress(RuntimeError):  # the asker may be gone with its window
            self._relay.came.emit(came)


class Background(QObject):
    """Runs functions on a pool, and what takes minutes on another.

    A topic is for what can be asked for again: a later call of the same topic replaces an earlier one, which never
    begins, stops where it gives way (``core.waiting``), or has its answer dropped; so it is when the window closes.
    What must be done has no topic.

    ``stand_aside`` lets the interface get on with what it has to show: the work waits until it is painted.
    """

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(2)
        self._long = QThreadPool(self)
        self._long.setMaxThreadCount(1)
        self._latest: dict[str, int] = {}
        self._asked: set[_Asked] = set()
        self._relay = _Relay(self)  # after the pool, which goes first and waits for its work
        self._relay.came.connect(self._came)
        self._closed = False
        self._free = Event()  # cleared while the work stands aside
        self._free.set()
        self._turns = 0
        self._painted = QTimer(self)
        self._painted.setSingleShot(True)
        self._painted.setInterval(0)
        self._painted.timeout.connect(self._after_painting)
        self._next_turn = QTimer(self)
        self._next_turn.setInterval(_PAUSE_MS)
        self._next_turn.timeout.connect(self._turn_over)

    def stand_aside(self) -> None:
        """Called on the interface thread, before it fills or lays out much: what it does there, and the painting that
        follows, shares the interpreter with nobody."""
        if not self._closed:
            self._turns = 2
            self._free.clear()
            self._next_turn.start()

    def _turn_over(self) -> None:
        self._turns -= 1
        if self._turns <= 0:
            self._next_turn.stop()
            self._free.set()

    def watch(self, window: QWidget) -> None:
        """While the window is painted the work waits as soon as it gives way."""
        window.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.UpdateRequest and not self._closed:
            self._free.clear()  # all of it is painted now
            self._painted.start()
        return False

    def _after_painting(self) -> None:
        if self._turns <= 0:
            self._free.set()

    def _aside(self) -> None:
        self._free.wait(_LONGEST_ASIDE_S)

    def run(
        self,
        function: Callable[[], Any],
        on_done: Callable[[Any], None],
        on_failed: Callable[[Exception], None],
        *,
        topic: str = "",
        urgent: bool = False,
        long: bool = False,
    ) -> None:
        """on_done or on_failed is called exactly once on the interface thread, unless a later call of the same topic
        has replaced this one or all is closed. urgent: it never stands aside, as for what is to be heard. long: it may
        take minutes, and keeps no other work from its turn."""
        if self._closed:
            return  # who would wait for it?
        number = self._latest[topic] = self._latest.get(topic, 0) + 1
        asked = _Asked(topic, number, on_done, on_failed)
        self._asked.add(asked)

        def replaced() -> bool:
            return bool(topic) and (self._closed or self._latest[topic] != number)

        pool = self._long if long else self._pool
        pool.start(_Work(function, asked, self._relay, replaced, nobody_waits if urgent else self._aside))

    def drop(self, topic: str) -> None:
        """What is asked for of this topic is not wanted any more."""
        self._latest[topic] = self._latest.get(topic, 0) + 1

    def _came(self, came: _Came) -> None:
        asked, result, error = came
        self._asked.discard(asked)
        on_done, on_failed = asked.on_done, asked.on_failed
        asked.on_done = asked.on_failed = _nothing  # what they hold is let go here, not by the thread of the work
        if self._closed or (asked.topic and self._latest[asked.topic] != asked.number):
            return
        answer = on_done if error is None else on_failed
        if _asker_is_gone(answer):
            return
        self.stand_aside()
        answer(result if error is None else error)

    @property
    def busy(self) -> bool:
        return bool(self._asked)

    def close(self) -> None:
        """Wait until nothing runs; answers that come afterwards are dropped."""
        self._closed = True
        self._next_turn.stop()
        self._painted.stop()
        self._free.set()
        self._pool.waitForDone()
        self._long.waitForDone()
