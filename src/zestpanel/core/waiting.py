"""Waiting for what may never come: stopped within a moment, and over after a time as a whole."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from typing import Any, Final, TypeVar

from zestpanel.core.errors import Cancelled as WasCancelled
from zestpanel.core.errors import SynthesisFailure

Cancelled = Callable[[], bool]
T = TypeVar("T")
_LOOK_S: Final = 0.1


def never_cancelled() -> bool:
    return False


def nobody_waits() -> None:
    pass


_given_up: ContextVar[Cancelled] = ContextVar("given up", default=never_cancelled)
_aside: ContextVar[Callable[[], None]] = ContextVar("aside", default=nobody_waits)


@contextmanager
def giving_way(given_up: Cancelled, aside: Callable[[], None] = nobody_waits) -> Iterator[None]:
    """Within this block ``give_way`` stops the work once ``given_up`` says so. aside: returns when nobody has anything
    more urgent to do."""
    token, token_aside = _given_up.set(given_up), _aside.set(aside)
    try:
        yield
    finally:
        _given_up.reset(token)
        _aside.reset(token_aside)


@contextmanager
def going_on() -> Iterator[None]:
    """Within this block nobody stands aside: whoever has something more urgent to do may wait for what is held here."""
    token = _aside.set(nobody_waits)
    try:
        yield
    finally:
        _aside.reset(token)


def stand_aside() -> None:
    """Called within long work, every few milliseconds, but never with a lock held: waits while somebody has something
    more urgent to do, such as the interface, which shares the interpreter with it."""
    _aside.get()()


def in_turns(many: Iterable[T], each: int = 100) -> Iterator[T]:
    """What is gone through in long work, standing aside now and then; see ``stand_aside``."""
    for number, one in enumerate(many):
        if number % each == 0:
            stand_aside()
        yield one


def let_go(many: list[Any], each: int = 200) -> None:
    """Empty a long list, the last that holds what is in it, a little at a time: to free a hundred thousand things at
    once keeps the interpreter from every other thread for a quarter of a second."""
    while many:
        del many[-each:]


def is_given_up() -> bool:
    """Whether nobody wants the result of this work any more: what ``give_way`` stops at."""
    return _given_up.get()()


def give_way() -> None:
    """Called within long work that changes nothing. Raises Cancelled where its result is not wanted any more."""
    stand_aside()
    if _given_up.get()():
        raise WasCancelled


def watched(work: Callable[[], T], cancelled: Cancelled, until: float, late: str, give_up: Callable[[], None]) -> T:
    """What ``work`` gives, from a thread of its own.

    until: by the monotonic clock, when it is over as a whole, however much still drips in; late: the sentence then.
    give_up: called when it is not waited for any longer, to close what it reads from.
    Raises what ``work`` does, Cancelled or SynthesisFailure('timed out').
    """
    got: list[T] = []
    failed: list[BaseException] = []
    over = threading.Event()

    def go() -> None:
        try:
            got.append(work())
        except BaseException as error:
            failed.append(error)
        finally:
            over.set()

    threading.Thread(target=go, name="request", daemon=True).start()
    while not over.wait(_LOOK_S):
        if cancelled():
            give_up()
            raise WasCancelled
        if time.monotonic() > until:
            give_up()
            raise SynthesisFailure("timed out", late)
    if failed:
        raise failed[0]
    return got[0]
