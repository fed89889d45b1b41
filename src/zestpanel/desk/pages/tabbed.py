"""A page of several views, one shown at a time, with a tab for each."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QStackedWidget, QWidget

from zestpanel.desk.pages.page import Page
from zestpanel.desk.state import DeskState
from zestpanel.desk.widgets import button, show_only


class Refreshed(Protocol):
    def refresh(self) -> None: ...


class TabbedPage(Page):
    """Subclasses make their views and hand them to ``add_views``; the shown one is refreshed with the page."""

    scrolls = False
    view_shown = pyqtSignal()

    def __init__(self, state: DeskState) -> None:
        super().__init__(state)
        self.tabs: list[QPushButton] = []
        self.stack = QStackedWidget()
        self._names: tuple[str, ...] = ()
        self._views: tuple[Refreshed, ...] = ()

    def add_views(self, names: Sequence[str], views: Sequence[QWidget]) -> None:
        self._names = tuple(names)
        self._views = tuple(views)  # type: ignore[arg-type]
        row = QHBoxLayout()
        row.setSpacing(4)
        for i, (name, view) in enumerate(zip(names, views, strict=True)):
            tab = button(name, lambda at=i: self.show_view(at), role="tab")  # type: ignore[misc]
            tab.setCheckable(True)
            self.tabs.append(tab)
            row.addWidget(tab)
            self.stack.addWidget(view)
        row.addStretch(1)
        self.body.addLayout(row)
        self.body.addWidget(self.stack, 1)
        self.show_view(0)

    def show_view(self, at: int | str) -> None:
        """Show one of the views, by place or by name."""
        place = self._names.index(at) if isinstance(at, str) else at
        for i, tab in enumerate(self.tabs):
            tab.setChecked(i == place)
        shown = self.stack.widget(place)
        assert shown is not None
        show_only(self.stack, shown)
        self.refresh_view()
        self.view_shown.emit()

    @property
    def view(self) -> str:
        return self._names[self.stack.currentIndex()]

    def refresh_view(self) -> None:
        """Refresh the view that is shown, unless the page has nothing to show yet."""
        if self.empty is None:
            self._views[self.stack.currentIndex()].refresh()
