"""What is chosen of facets, however they are shown."""

from __future__ import annotations

from PyQt6.QtCore import pyqtBoundSignal


class ChosenFacets:
    """For widgets that have a signal ``changed``. chosen: facet -> values."""

    chosen: dict[str, frozenset[str]]
    changed: pyqtBoundSignal

    def toggle(self, facet: str, value: str) -> None:
        self.chosen[facet] = self.chosen.get(facet, frozenset()) ^ {value}
        self.changed.emit()

    def clear_choice(self) -> None:
        self.chosen = {}
        self.changed.emit()
