"""A page of several views, one shown at a time, with a tab for each."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from zestpanel.core.texts import tr, word
from zestpanel.desk.pages.page import Page
from zestpanel.desk.state import DeskState
from zestpanel.desk.turns import paint_next_turn
from zestpanel.desk.widgets import Stack, button, show_only


class TabbedPage(Page):
    """Subclasses make their views and hand them to ``add_views``; the shown one is refreshed with the page."""

    scrolls = False
    view_shown = pyqtSignal()

    def __init__(self, state: DeskState) -> None:
        super().__init__(state)
        self.tabs: list[QPushButton] = []
        self.stack = Stack()
        self._names: tuple[str, ...] = ()
        self._makers: dict[int, Callable[[], QWidget]] = {}

    def add_views(self, names: Sequence[str], views: Sequence[QWidget | Callable[[], QWidget]]) -> None:
        """views: widgets, or functions that make one when it is first looked at."""
        self._names = tuple(names)
        row = QHBoxLayout()
        row.setSpacing(4)
        for i, (name, view) in enumerate(zip(names, views, strict=True)):
            tab = button(word(name), lambda at=i: self.show_view(at), role="tab")  # type: ignore[misc]
            tab.setCheckable(True)
            self.tabs.append(tab)
            row.addWidget(tab)
            if isinstance(view, QWidget):
                self.stack.addWidget(view)
            else:
                self._makers[i] = view
                self.stack.addWidget(QWidget())
        row.addStretch(1)
        self.body.addLayout(row)
        self.body.addWidget(self.stack, 1)
        self._bring_up(0)  # filled when the page is shown

    def show_view(self, at: int | str) -> None:
        """Show one of the views, by place or by name."""
        paint_next_turn(self.stack)
        self._bring_up(self._names.index(at) if isinstance(at, str) else at)
        self.view_shown.emit()  # what stood beside the last view makes room before this one is filled and laid out
        self.refresh_view()

    def _bring_up(self, place: int) -> None:
        for i, tab in enumerate(self.tabs):
            tab.setChecked(i == place)
            shown = tr(", shown") if i == place else ""
            tab.setAccessibleName(
                tr(
                    "{names}, view {i} of {tabs}{shown}",
                    names=word(self._names[i]),
                    i=i + 1,
                    tabs=len(self.tabs),
                    shown=shown,
                )
            )
        show_only(self.stack, self.widget_of(place))

    def widget_of(self, at: int | str) -> QWidget:
        """A view's widget, made now if it was not yet."""
        place = self._names.index(at) if isinstance(at, str) else at
        if place in self._makers:
            made, blank = self._makers.pop(place)(), self.stack.widget(place)
            self.stack.insertWidget(place, made)
            if blank is not None:
                self.stack.removeWidget(blank)
        found = self.stack.widget(place)
        assert found is not None
        return found

    @property
    def view(self) -> str:
        return self._names[self.stack.currentIndex()]

    def refresh_view(self) -> None:
        """Refresh the view that is shown, unless the page has nothing to show yet."""
        if self.empty is None:
            self.widget_of(self.stack.currentIndex()).refresh()  # type: ignore[attr-defined]
