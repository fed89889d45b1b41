"""A value worked out of the database and kept until that changes, whoever reads it meanwhile."""

from __future__ import annotations

from collections.abc import Callable
from typing import Generic, TypeVar

T = TypeVar("T")


class WorkedOut(Generic[T]):
    """``get`` works the value out unless it is known; ``forget`` is called after each write it depends on.

    A reader that began before a write and ends after it does not put its old value in the new one's place. Safe to use
    from many threads.
    """

    def __init__(self, work: Callable[[], T]) -> None:
        self._work = work
        self._state = object()  # another one after each change
        self._found: tuple[object, T] | None = None

    def get(self) -> T:
        state, found = self._state, self._found
        if found is not None and found[0] is state:
            return found[1]
        value = self._work()
        self._found = (state, value)
        return value

    def forget(self) -> None:
        self._state = object()
