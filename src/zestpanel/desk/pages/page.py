"""What all pages share: a heading, a body, and the state they show."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QHBoxLayout, QScrollArea, QStackedLayout, QVBoxLayout, QWidget

from zestpanel.core.texts import tr
from zestpanel.desk.flow import RightFlow, as_high_as_it_takes
from zestpanel.desk.state import DeskState
from zestpanel.desk.widgets import EmptyState, label


class Page(QWidget):
    """A page. Subclasses fill ``body`` once and ``refresh`` on demand; ``show_empty`` covers the body."""

    title = ""
    about = ""
    scrolls = True
    shows_title = True

    @property
    def beside_card(self) -> bool:
        """Whether the card and the whole strip have their place beside what is shown now."""
        return False

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.setObjectName("page")
        self.state = state
        self.go_to: Callable[[str], None] = lambda step: None  # set by the window
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self._stack = QStackedLayout()
        layout.addLayout(self._stack)
        content = QWidget()
        outer = QVBoxLayout(content)
        outer.setContentsMargins(24, 16, 24, 12)
        outer.setSpacing(10)
        head = QHBoxLayout()
        head.setSpacing(10)
        words = QVBoxLayout()
        words.setSpacing(0)
        if self.shows_title:
            words.addWidget(label(self.title, "page"))
        if self.about:
            words.addWidget(label(self.about, "quiet", wrap=True))
        head.addLayout(words, 1)
        self.head_words = words
        # what can be done stands beside the words, in more lines where the width does not do
        actions = QWidget()
        self.head = RightFlow(actions)
        self.head.setSpacing(10)
        as_high_as_it_takes(actions)
        head.addWidget(actions)
        outer.addLayout(head)
        self.body = QVBoxLayout()
        self.body.setSpacing(10)
        outer.addLayout(self.body, 1)
        if self.scrolls:
            area = QScrollArea()
            area.setWidgetResizable(True)
            area.setWidget(content)
            self._stack.addWidget(area)
        else:
            self._stack.addWidget(content)
        self._empty: EmptyState | None = None

    def hasHeightForWidth(self) -> bool:
        return False  # it fills what room there is; see ``widgets.Stack``

    def set_empty(self, empty: EmptyState | None) -> None:
        """Cover the body with an empty state, or lift it."""
        if self._empty is not None:
            self._stack.removeWidget(self._empty)
            self._empty.deleteLater()
        self._empty = empty
        if empty is not None:
            self._stack.addWidget(empty)
            self._stack.setCurrentWidget(empty)
        else:
            self._stack.setCurrentIndex(0)

    def cover_names(self) -> bool:
        """Cover a page that is about names while labels are hidden. True when it is covered."""
        if self.state.labels_hidden:
            words = tr("Labels are hidden, and this page is about names: it stays covered until they are shown.")
            self.set_empty(EmptyState(words, tr("Show labels"), self.state.toggle_labels))
        return self.state.labels_hidden

    @property
    def empty(self) -> EmptyState | None:
        return self._empty

    def refresh(self) -> None:
        """Show the state as it is. Called when the page is shown and when what it shows has changed."""
