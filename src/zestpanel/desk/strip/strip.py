"""The strip's widget: a head with controls, the words, and a lane for each clip on the tray."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QPoint, QSize, Qt
from PyQt6.QtWidgets import QFileDialog, QFrame, QHBoxLayout, QInputDialog, QMenu, QScrollArea, QVBoxLayout, QWidget

from zestpanel.core.listening.defects import KINDS
from zestpanel.core.measures.word_times import NOT_FOUND
from zestpanel.core.texts import tr
from zestpanel.desk.plain_tips import plain_tip
from zestpanel.desk.state import DeskState
from zestpanel.desk.strip.lanes import Lanes
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.widgets import KeyButton, button, label, yielding

_LONGEST_TITLE = 44  # characters: no name sets the least width of the window


class Strip(QFrame):
    def __init__(self, state: DeskState, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("strip")
        self._state = state
        self.lanes = Lanes(state)
        self._title, self._about = label("", "strong"), yielding(label("", "quiet"))
        self.play = KeyButton(tr("Play"), "space")
        self.mark = KeyButton(tr("Mark a defect"), "M")
        self.how = button(
            tr("How it is heard"), self._ask_how, tip=tr("Raw or trimmed, alone or between, dry or over music")
        )
        self.how.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.play.clicked.connect(state.tray.toggle_play)
        self.mark.clicked.connect(self.ask_for_mark)
        head = QHBoxLayout()
        head.setContentsMargins(20, 6, 20, 6)
        head.setSpacing(14)
        head.addWidget(self._title)
        head.addWidget(self._about, 1)
        for key in (self.play, self.mark):
            key.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            head.addWidget(key)
        head.addWidget(self.how)
        self._folded = False
        self.fold = button(
            tr("Unfold"), lambda: self.set_folded(not self._folded), tip=tr("Show the lanes, or the head only")
        )
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
        for signal in (state.tray.changed, state.labels_changed, state.selected, state.player.changed):
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
        name = passage.title if passage else ""
        short = name if len(name) <= _LONGEST_TITLE else f"{name[: _LONGEST_TITLE - 1]}…"
        self._title.setText(f"{place:02d} {short}" if passage else "")
        self._title.setToolTip(plain_tip(name if short != name else ""))
        about = self._describe() if self._state.tray.lanes else ""
        self._about.setText(about)
        self._about.setToolTip(plain_tip(about))  # it is cut where there is little room
        self.play.set_text(tr("Pause") if self._state.player.mixer.playing else tr("Play"))
        for key in (self.play, self.mark, self.how):
            key.setEnabled(bool(self._state.tray.lanes))
        self.fold.setText(tr("Unfold") if self._folded else tr("Fold"))
        self._scroll.setVisible(not self._folded)
        self.setVisible(bool(self._state.tray.lanes))
        self.setFixedHeight(self.sizeHint().height() if self._state.tray.lanes else 0)

    def _describe(self) -> str:
        ways = {lane.measured.words_by for lane in self._state.tray.lanes}
        parts = [tr("real time") if self._state.tray.real_time else tr("words aligned")]
        if NOT_FOUND in ways or "" in ways:
            parts[0] = tr("words not found in every clip")
        parts.append(tr("levels matched to {lufs} LUFS", lufs=f"{self._state.tray.target_lufs:.0f}".replace("-", "−")))
        tray, mixer = self._state.tray, self._state.player.mixer
        parts += [tr("silence around trimmed")] if tray.copies else []
        parts += [tr("between its neighbours")] if tray.between_neighbours else []
        if tray.bed_path is not None:
            parts.append(
                tr(
                    "over {stem}, {bed_below_lu} LU below",
                    stem=tray.bed_path.stem,
                    bed_below_lu=f"{tray.bed_below_lu:.0f}",
                )
            )
        parts += [{"pitch": tr("pitch drawn"), "level": tr("level drawn")}[tray.contour]] if tray.contour else []
        parts += [tr("over and over")] if mixer.loop is not None else []
        if pinned := sum(tray.is_pinned(k) for k in range(len(tray.lanes))):
            parts.append(tr("{pinned} pinned, with a green edge", pinned=pinned))
        if self._state.labels_hidden:
            parts.append(tr("labels hidden"))
        if not self._state.player.heard:
            parts.append(tr("no sound device: everything but hearing works"))
        return " · ".join(parts)

    def sizeHint(self) -> QSize:
        hint = super().sizeHint()
        room = min(theme.px(250), max(140, round(self.window().height() * 0.36)))
        lanes = 0 if self._folded else min(self.lanes.needed_height(), room)
        hint.setHeight(theme.px(50) + lanes)
        return hint

    def _ask_how(self) -> None:
        tray, menu = self._state.tray, QMenu(self)
        for words, on, act in (
            (tr("Listening copies: silence around speech trimmed\tC"), tray.copies, tray.set_copies),
            (tr("Between the passages before and after\tB"), tray.between_neighbours, tray.set_between_neighbours),
            (tr("Real time instead of words\tT"), tray.real_time, tray.set_real_time),
        ):
            action = menu.addAction(words)
            assert action is not None
            action.setCheckable(True)
            action.setChecked(on)
            action.triggered.connect(act)
        languages = menu.addAction(tr("This passage in all its languages"), tray.lay_out_translations)
        assert languages is not None
        languages.setEnabled(bool(tray.translations()))
        menu.addSeparator()
        for words, name in ((tr("Pitch over the waves"), "pitch"), (tr("Level over the waves"), "level")):
            action = menu.addAction(words)
            assert action is not None
            action.setCheckable(True)
            action.setChecked(tray.contour == name)
            action.triggered.connect(lambda on, name=name: tray.set_contour(name if on else ""))
        together = menu.addAction(tr("The other clips' drawn with it"))
        assert together is not None
        together.triggered.connect(tray.draw_contours_together)
        together.setCheckable(True)
        together.setChecked(tray.contours_together)
        together.setEnabled(bool(tray.contour) and len(tray.lanes) > 1)
        menu.addSeparator()
        menu.addAction(tr("Music or a room under it …"), self.ask_for_bed)
        if tray.bed_path is not None:
            menu.addAction(tr("Without {name}", name=tray.bed_path.name), lambda: tray.set_bed(None))
        if self._state.player.mixer.loop is not None:
            menu.addAction(tr("No more over and over\tO"), tray.toggle_loop)
        menu.popup(self.how.mapToGlobal(self.how.rect().topLeft()) - QPoint(0, menu.sizeHint().height()))

    def ask_for_bed(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, tr("Music or a room under it"), "", tr("Sound (*)"))
        if name:
            below, good = QInputDialog.getDouble(self, tr("Music or a room"), tr("So many LU below speech"),
                                                 self._state.tray.bed_below_lu, 0, 40, 0)  # fmt: skip
            if good:
                self._state.tray.set_bed(Path(name), below_lu=below)

    def ask_for_mark(self) -> None:
        """A menu of defects; the chosen one is marked where playback stands, in the clip that is heard."""
        if not self._state.tray.lanes:
            return
        menu = QMenu(self)
        for index, kind in enumerate(KINDS, 2):
            action = menu.addAction(f"{kind}\tF{index}")
            assert action is not None
            action.triggered.connect(lambda _=False, k=kind: self._state.tray.mark_here(k))
        menu.popup(self.mark.mapToGlobal(self.mark.rect().topLeft()) - QPoint(0, menu.sizeHint().height()))
