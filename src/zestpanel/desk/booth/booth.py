"""The booth's widget, for an absolute category rating: hear, then answer with a key from 1 to 5."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QHBoxLayout, QProgressBar, QPushButton, QVBoxLayout, QWidget

from zestpanel.core.domain.take import Take
from zestpanel.core.errors import ZestError
from zestpanel.core.listening.acr import QUESTION, SCALE, AcrSession, level_of_test, takes_to_hear
from zestpanel.core.playback.mixer import Lane, prepare_lanes
from zestpanel.desk.state import DeskState
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.widgets import KeyButton, button, label, set_role


class Booth(QWidget):
    """finished: the session is over or was stopped; what was rated is kept at every answer."""

    finished = pyqtSignal()

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.setObjectName("booth")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._state = state
        self._session: AcrSession | None = None
        self._takes: dict[int, Take] = {}
        self._level: float | None = None  # LUFS that every clip of the test is brought to
        self._place, self._text = label("", "quiet"), label("", "reading", wrap=True)
        self._text.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._heard = QProgressBar()
        self._heard.setTextVisible(False)
        self._heard.setMaximum(1000)
        self._hint = label("", "quiet", wrap=True)
        self._hint.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.play = KeyButton("Play", "space")
        self.play.clicked.connect(self.toggle)
        self.grades: dict[int, QPushButton] = {}
        column = QVBoxLayout()
        column.setSpacing(8)
        for score, words in SCALE.items():
            grade = button(f"{score}    {words}", partial(self.rate, score), role="grade")
            grade.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            column.addWidget(grade)
            self.grades[score] = grade
        self.leave = button("Stop here", self._leave, tip="Everything rated is kept; go on later under the same name")
        self.leave.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        head = QHBoxLayout()
        head.addWidget(self._place, 1)
        head.addWidget(self.leave)
        middle = QWidget()
        middle.setMaximumWidth(theme.px(620))
        inner = QVBoxLayout(middle)
        inner.setSpacing(14)
        inner.addWidget(self._text)
        row = QHBoxLayout()
        row.addStretch(1)
        row.addWidget(self.play)
        row.addStretch(1)
        inner.addLayout(row)
        inner.addWidget(self._heard)
        inner.addWidget(self._hint)
        inner.addSpacing(10)
        question = label(QUESTION, "name")
        question.setAlignment(Qt.AlignmentFlag.AlignCenter)
        inner.addWidget(question)
        self._asking = (self.play, self._heard, self._hint, question, *self.grades.values())
        inner.addLayout(column)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(32, 24, 32, 32)
        outer.addLayout(head)
        outer.addStretch(1)
        outer.addWidget(middle, 0, Qt.AlignmentFlag.AlignHCenter)
        middle.setMinimumWidth(theme.px(560))
        outer.addStretch(2)
        state.player.moved.connect(self._moved)
        state.player.changed.connect(self._moved)

    @property
    def session(self) -> AcrSession | None:
        return self._session

    def begin(self, session: AcrSession) -> None:
        for widget in self._asking:
            widget.show()
        self._text.setMinimumHeight(0)
        self.leave.setText("Stop here")
        self._session = session
        self._takes = {t.id: t for t in self._state.project.takes.all()}
        self._level = None
        self._state.player.look_for_device()
        self._next()

    def _next(self) -> None:
        session = self._session
        assert session is not None
        if session.finished:
            self._end()
            return
        place, total = session.counts
        part = "Training, not scored" if session.in_training else "Clip"
        self._place.setText(f"{part} · {place} of {total}")
        # lanes are told apart by trial: the same clip may come twice in a row and has to be heard twice
        take, trial = self._takes[session.take_id], session.index
        self._state.player.load([], on=0)
        self._enable()
        project = self._state.project
        text, _ = project.texts.version_text(take.passage_version_id)
        self._text.setText(text)

        level, heard = self._level, takes_to_hear(project, session.settings).values()
        of_session = {trial[2] for trial in session.session.trials}

        def prepare() -> tuple[list[Lane], float]:
            target = level_of_test(project, {*heard, *of_session}) if level is None else level
            lanes, _ = prepare_lanes([(trial, project.takes.load(take), (), len(text.split()))], target_lufs=target)
            return lanes, target

        def arrived(found: tuple[list[Lane], float]) -> None:
            if self._session is session and session.index == trial:
                self._level = found[1]
                self._state.player.load(found[0], on=0)
                self._enable()
                if self.isVisible():
                    self.toggle()

        self._state.background.run(prepare, arrived, self._state.complain, topic="booth")
        self.setFocus()

    def toggle(self) -> None:
        """Play or pause; a new start of the clip counts as another play."""
        mixer = self._state.player.mixer
        if not self._state.player.heard and not self._state.player.look_for_device():
            self._enable()
            return
        if self._session is not None and mixer.lanes:
            at_start = mixer.time_s == 0 or mixer.time_s >= mixer.lanes[0].duration_s - 0.01
            if not mixer.playing and at_start:
                self._session.note_play()
            self._state.player.toggle()

    def rate(self, score: int) -> None:
        if self._session is None or not self._state.player.heard:
            return
        self._moved()
        try:
            if self._session.rate(score):
                self._state.player.pause()
                self._next()
        except ZestError as error:
            self._state.complain(error)

    def _moved(self) -> None:
        session, mixer = self._session, self._state.player.mixer
        if session is None or not self.isVisible() or session.finished or not mixer.lanes:
            return
        if mixer.lanes[0].key == session.index and self._state.player.heard:
            session.played(mixer.heard_share(session.index))
            self._heard.setValue(round(mixer.time_s / max(0.01, mixer.lanes[0].duration_s) * 1000))
            self.play.set_text("Pause" if mixer.playing else "Play")
        self._enable()

    def _enable(self) -> None:
        session = self._session
        heard = self._state.player.heard
        may = session is not None and session.may_rate and heard
        for grade in self.grades.values():
            grade.setEnabled(may)
        must = 0.0 if session is None else session.settings.must_hear
        set_role(self._hint, "quiet" if heard else "bad")
        if not heard:
            self._hint.setText("There is no sound device, so nothing can be rated. Connect one, then press Play.")
            return
        self._hint.setText("Answer with a key from 5 to 1." if may else f"Listen to at least {must:.0%} of it first.")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.text()
        if key in ("1", "2", "3", "4", "5"):
            self.rate(int(key))
        elif event.key() == Qt.Key.Key_Space:
            self.toggle()
        elif event.key() == Qt.Key.Key_Escape:
            self._leave()
        else:
            super().keyPressEvent(event)

    def _leave(self) -> None:
        """Stop; and from the page that says so, back to the desk."""
        if self._session is not None:
            self._end()
        else:
            self.finished.emit()

    def _end(self) -> None:
        """The listener's last page: the desk behind it shows names and scores, and is for whoever runs the test."""
        session, self._session = self._session, None
        self._state.player.pause()
        self._state.player.load([], on=0)
        for widget in self._asking:
            widget.hide()
        assert session is not None
        place, total = session.counts
        done = "Every clip is rated." if session.finished else f"You stopped at clip {place} of {total}."
        self._place.setText("")
        self._text.setText(f"Thank you. {done} All your answers are kept. Please call whoever asked you to listen.")
        # a layout that has just lost most of its widgets asks the wrapped words for their height at the old width
        self._text.setMinimumHeight(self._text.heightForWidth(theme.px(560)))
        self.leave.setText("Back to the desk")
        self.leave.setFocus()
