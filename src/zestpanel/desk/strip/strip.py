"""The strip's widget: a head with controls, the words, and a lane for each clip on the tray."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QSize, Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QMenu, QScrollArea, QVBoxLayout, QWidget

from zestpanel.core.measures.word_times import NOT_FOUND
from zestpanel.desk.state import DeskState
from zestpanel.desk.strip.lanes import Lanes
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.widgets import KeyButton, button, label

DEFECTS = (
    "gap",
    "wrong word",
    "missing word",
    "odd stress",
    "clipped end",
    "noise",
    "accent slip",
    "mark-up read out",
    "tone jump",
)


class Strip(QFrame):
    def __init__(self, state: DeskState, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("strip")
        self._state = state
        self.lanes = Lanes(state)
        self._title, self._about = label("", "strong"), label("", "quiet")
        self.play = KeyButton("Play", "space")
        self.real_time = KeyButton("Real time", "T", checkable=True)
        self.mark = KeyButton("Mark a defect", "M")
        self.play.clicked.connect(state.toggle_play)
        self.real_time.clicked.connect(lambda: state.set_real_time(self.real_time.isChecked()))
        self.mark.clicked.connect(self.ask_for_mark)
        head = QHBoxLayout()
        head.setContentsMargins(20, 6, 20, 6)
        head.setSpacing(14)
        head.addWidget(self._title)
        head.addWidget(self._about, 1)
        for key in (self.play, self.real_time, self.mark):
            key.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            head.addWidget(key)
        self._folded = False
        self.fold = button("Unfold", lambda: self.set_folded(not self._folded), tip="Show the lanes, or the head only")
        self.fold.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        head.addWidget(self.fold)
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._scroll.setWidget(self.lanes)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(head)
        layout.addWidget(self._scroll, 1)
        for signal in (state.tray_changed, state.labels_changed, state.selected, state.player.changed):
            signal.connect(self._refresh)
        theme.changed.connect(self._refresh)
        self._refresh()

    def set_folded(self, folded: bool) -> None:
        """Show the head only (its keys go on working), or the words and lanes as well."""
        self._folded = folded
        self._refresh()

    def _refresh(self) -> None:
        passage = self._state.passage()
        place = next((i for i, p in enumerate(self._state.bench.passages, 1) if passage and p.id == passage.id), 0)
        self._title.setText(f"{place:02d} {passage.title}" if passage else "")
        self._about.setText(self._describe() if self._state.tray else "")
        self.play.set_text("Pause" if self._state.player.mixer.playing else "Play")
        self.real_time.setChecked(self._state.real_time)
        for key in (self.play, self.real_time, self.mark):
            key.setEnabled(bool(self._state.tray))
        self.fold.setText("Unfold" if self._folded else "Fold")
        self._scroll.setVisible(not self._folded)
        self.setVisible(bool(self._state.tray))
        self.setFixedHeight(self.sizeHint().height() if self._state.tray else 0)

    def _describe(self) -> str:
        ways = {lane.measured.words_by for lane in self._state.tray}
        parts = ["real time" if self._state.real_time else "words aligned"]
        if NOT_FOUND in ways or "" in ways:
            parts[0] = "words not found in every clip"
        parts.append(f"levels matched to {self._state.tray_target_lufs:.0f} LUFS".replace("-", "−"))
        if self._state.labels_hidden:
            parts.append("labels hidden")
        if not self._state.player.heard:
            parts.append("no sound device: everything but hearing works")
        return " · ".join(parts)

    def sizeHint(self) -> QSize:
        hint = super().sizeHint()
        room = min(theme.px(250), max(140, round(self.window().height() * 0.36)))
        lanes = 0 if self._folded else min(self.lanes.needed_height(), room)
        hint.setHeight(theme.px(50) + lanes)
        return hint

    def ask_for_mark(self) -> None:
        """A menu of defects; the chosen one is marked where playback stands, in the clip that is heard."""
        if not self._state.tray:
            return
        menu = QMenu(self)
        for index, kind in enumerate(DEFECTS, 1):
            action = menu.addAction(f"&{index}  {kind}")
            assert action is not None
            action.triggered.connect(lambda _=False, k=kind: self._state.mark_here(k))
        menu.popup(self.mark.mapToGlobal(self.mark.rect().topLeft()) - QPoint(0, menu.sizeHint().height()))
