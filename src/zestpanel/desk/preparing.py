"""Pages that nobody has looked at yet are made, filled and painted once while nobody does anything, so that the first
look does not wait: most of its time goes into styles, faces and sizes that are worked out once."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from importlib import import_module

from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtWidgets import QAbstractScrollArea, QWidget

from zestpanel.desk.pages.page import Page
from zestpanel.desk.pages.tabbed import TabbedPage
from zestpanel.desk.quiet import Quiet

QUIET_S = 0.8  # since the last key or movement of the pointer
APART_MS = 40


class Preparing(QObject):
    """Loads the code of all pages on a thread of its own, then makes one page or view at a time in quiet moments.

    busy: whether something is worked out that pages show: they are filled afterwards. at_last: what else is to be
    ready, the sound device.
    """

    def __init__(
        self, window: QWidget, page_of: Callable[[str], Page], steps: tuple[str, ...], at_last: Callable[[], object],
        *, busy: Callable[[], bool],
    ) -> None:  # fmt: skip
        super().__init__(window)
        self._window, self._page_of, self._steps, self._at_last, self._busy = window, page_of, steps, at_last, busy
        self._left: Iterator[None] = self._made()
        self._quiet = Quiet(window, self)
        self._loading = threading.Thread(target=self._load, name="pages", daemon=True)
        self._timer = QTimer(self)
        self._timer.setInterval(APART_MS)
        self._timer.timeout.connect(self._on)

    def begin(self) -> None:
        self._loading.start()
        self._timer.start()

    @property
    def done(self) -> bool:
        return not self._timer.isActive()

    def _load(self) -> None:
        for step in self._steps:
            import_module(f"zestpanel.desk.pages.{step}")
        import_module("scipy.signal")  # a clip that was not measured yet is made as loud as the others with it

    def _on(self) -> None:
        early = self._loading.is_alive() or self._quiet.seconds < QUIET_S or self._busy()
        if early or not self._window.isVisible():
            return
        try:
            next(self._left)
        except StopIteration:
            self._timer.stop()
            self._quiet.end()

    def _made(self) -> Iterator[None]:
        for step in self._steps:
            page = self._page_of(step)
            yield
            if isinstance(page, TabbedPage):
                for at in range(len(page.tabs)):
                    page.widget_of(at)
                    yield
            for widget in page.findChildren(QWidget):
                widget.ensurePolished()
            yield
            if not page.isVisible():
                page.refresh()
                yield
            yield from _painted(page)
        self._at_last()


def _painted(page: Page) -> Iterator[None]:
    """Paint a page that is not shown, at the size it will have, part by part."""
    holder = page.parentWidget()
    if page.isVisible() or holder is None:
        return
    page.resize(holder.size())
    for part in page.findChildren(QAbstractScrollArea):
        if part.isVisibleTo(page):
            part.grab()
            yield
    page.grab()
    yield
    if isinstance(page, TabbedPage):
        for at in range(page.stack.count()):
            view = page.stack.widget(at)
            if view is not None and not view.isVisibleTo(page):
                view.resize(page.stack.size())
                view.grab()
                yield
