"""Undo and redo of edits: an edit enters the history only after it has worked."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Edit:
    label: str
    do: Callable[[], None]
    undo: Callable[[], None]


class History:
    def __init__(self) -> None:
        self._done: list[Edit] = []
        self._undone: list[Edit] = []

    def run(self, label: str, do: Callable[[], None], undo: Callable[[], None]) -> None:
        """Do it; remember how to take it back. An edit that raises is not remembered."""
        do()
        self.was_done(label, do, undo)

    def was_done(self, label: str, do: Callable[[], None], undo: Callable[[], None]) -> None:
        """Remember an edit that has just worked elsewhere."""
        self._done.append(Edit(label, do, undo))
        self._undone.clear()

    def clear(self) -> None:
        """Forget what was done: what it could bring back is not to come back."""
        self._done.clear()
        self._undone.clear()

    @property
    def undo_label(self) -> str:
        return self._done[-1].label if self._done else ""

    @property
    def redo_label(self) -> str:
        return self._undone[-1].label if self._undone else ""

    def undo(self) -> str:
        """Take the last edit back; its label, '' when there is none."""
        if not self._done:
            return ""
        edit = self._done[-1]
        edit.undo()
        self._undone.append(self._done.pop())
        return edit.label

    def redo(self) -> str:
        if not self._undone:
            return ""
        edit = self._undone[-1]
        edit.do()
        self._done.append(self._undone.pop())
        return edit.label
