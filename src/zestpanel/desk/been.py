"""Where one has been: pages and their views, to go back to and on again, as in a browser."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

MOST_PLACES = 50
Place = tuple[str, str]  # a step, and the view of its page, '' for a page without


class Been:
    def __init__(self) -> None:
        self._places: list[Place] = []
        self._at, self._going = -1, False

    def note(self, place: Place) -> None:
        """One is here now. What lay ahead is forgotten; going back notes nothing."""
        if not self._going and (not self._places or self._places[self._at] != place):
            self._places = [*self._places[: self._at + 1], place][-MOST_PLACES:]
            self._at = len(self._places) - 1

    @contextmanager
    def going(self, by: int) -> Iterator[Place | None]:
        """The place so many steps from here, None where there is none; what is gone through meanwhile is not noted."""
        there = self._at + by
        if not 0 <= there < len(self._places):
            yield None
            return
        self._at, self._going = there, True
        try:
            yield self._places[there]
        finally:
            self._going = False
