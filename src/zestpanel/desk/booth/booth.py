"""The booth's widget for any kind of listening test: it draws a trial from its description, and keys alone suffice.

Digits hear a clip, letters or the scale's digits answer; nothing on it tells a name, an order or how many candidates.
"""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QProgressBar, QPushButton, QVBoxLayout, QWidget

from zestpanel.core.domain.take import Take
from zestpanel.core.errors import ZestError
from zestpanel.core.listening.kind import LONGEST_TEXT, Question
from zestpanel.core.listening.material import level_of_test
from zestpanel.core.listening.session import ListeningSession
from zestpanel.core.playback.mixer import Lane, prepare_lanes
from zestpanel.desk.state import DeskState
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.widgets import KeyButton, button, label, set_role

_MOST_CLIPS = 32  # of a trial: lanes are told apart by trial and clip


class Booth(QWidget):
    """finished: the session is over or was stopped; what was answered is kept at every answer."""

    finished = pyqtSignal()

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.setObjectName("booth")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._state = state
        self._session: ListeningSession | None = None
        self._takes: dict[int, Take] = {}
        self._level: float | None = None  # LUFS that every clip of the test is brought to
        self._asked: Question | None = None
        self._place, self._text = label("", "quiet"), label("", "reading", wrap=True)
        self._text.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._heard = QProgressBar()
        self._heard.setTextVisible(False)
        self._heard.setMaximum(1000)
        self._hint = label("", "quiet", wrap=True)
        self._hint.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.play = KeyButton("Play", "space")
        self.play.clicked.connect(self.toggle)
        self.clips: list[KeyButton] = []  # of a trial with several; one alone is just played
        self.answers: dict[str, QPushButton] = {}  # by the key that gives it
        self.written = QLineEdit()  # for tests that ask for words
        self.written.setPlaceholderText("what you heard; Enter goes on")
        self.written.setMaxLength(LONGEST_TEXT)
        self.written.setAccessibleName("What you heard")
        self.written.returnPressed.connect(lambda: self.answer(self.written.text()))
        self.written.textChanged.connect(lambda _: self._enable())
        self._question = label("", "name", wrap=True)
        self._question.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.leave = button("Stop here", self._leave, tip="Everything answered is kept; go on later by the same name")
        self.leave.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.back = KeyButton("Correct the last answer", "Backspace")
        self.back.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.back.clicked.connect(self.correct)
        head = QHBoxLayout()
        head.addWidget(self._place, 1)
        head.addWidget(self.back)
        head.addWidget(self.leave)
        self._middle = middle = QWidget()
        middle.setMaximumWidth(theme.px(620))
        inner = QVBoxLayout(middle)
        inner.setSpacing(14)
        inner.addWidget(self._text)
        self._clip_row = QHBoxLayout()
        self._clip_row.addStretch(1)
        self._clip_row.addWidget(self.play)
        self._clip_row.addStretch(1)
        inner.addLayout(self._clip_row)
        inner.addWidget(self._heard)
        inner.addWidget(self._hint)
        inner.addSpacing(10)
        inner.addWidget(self._question)
        self._answer_column = QVBoxLayout()
        self._answer_column.setSpacing(8)
        inner.addLayout(self._answer_column)
        inner.addWidget(self.written)
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
    def session(self) -> ListeningSession | None:
        return self._session

    def _asking(self) -> list[QWidget]:
        written = [self.written] if self._asked is not None and not self._asked.choices else []
        return [self.play, self._heard, self._hint, self._question, *self.clips, *self.answers.values(), *written]

    def begin(self, session: ListeningSession) -> None:
        self._text.setMinimumHeight(0)
        self.leave.setText("Stop here")
        self._session = session
        self._takes = {t.id: t for t in self._state.project.takes.all()}
        self._level = None
        self._state.player.look_for_device()
        self._next()

    # -- a trial, from its description

    def _lay_out(self, session: ListeningSession) -> None:
        """Buttons for the clips and the answers of the trial, kept from trial to trial where they are the same."""
        shown = session.shown
        names = [name for name, _ in shown.clips if name]
        if [one.words() for one in self.clips] != names:
            for one in self.clips:
                self._clip_row.removeWidget(one)
                one.deleteLater()
            self.clips = []
            for at, name in enumerate(names):
                one = KeyButton(name, str(at + 1), checkable=True)
                one.setFocusPolicy(Qt.FocusPolicy.TabFocus)
                one.clicked.connect(partial(self.hear, at))
                self._clip_row.insertWidget(1 + at, one)
                self.clips.append(one)
        if self._asked != shown.question:
            self._asked = shown.question
            for grade in self.answers.values():
                self._answer_column.removeWidget(grade)
                grade.deleteLater()
            self.answers = {}
            for choice in shown.question.choices:
                grade = button(f"{choice.key.upper()}    {choice.words}", partial(self.answer, choice.value),
                               role="grade")  # fmt: skip
                grade.setFocusPolicy(Qt.FocusPolicy.TabFocus)
                self._answer_column.addWidget(grade)
                self.answers[choice.key] = grade
            self._question.setText(shown.question.words)
        self.written.setVisible(not shown.question.choices)
        for widget in self._asking():
            widget.show()
        self._fit()

    def _fit(self) -> None:
        """A layout whose buttons have changed is asked for its height anew, at the width it has."""
        inner, outer = self._middle.layout(), self.layout()
        if inner is not None and outer is not None:
            inner.activate()
            width = max(self._middle.minimumWidth(), self._middle.width())
            self._middle.setMinimumHeight(inner.totalHeightForWidth(width))
            outer.activate()

    def _next(self) -> None:
        session = self._session
        assert session is not None
        if session.finished:
            self._end()
            return
        place, total = session.counts
        part = "Training, not scored" if session.in_training else "Clip" if not self._several(session) else "Trial"
        self._place.setText(f"{part} · {place} of {total}")
        self._lay_out(session)
        index, clips = session.index, session.shown.clips
        self._state.player.load([], on=0)
        self._enable()
        project = self._state.project
        takes = [self._takes[take] for _, at in clips if (take := session.trial.stimuli[at].take_id) is not None]
        text, _ = project.texts.version_text(takes[0].passage_version_id)
        self._text.setText(text if session.shown.shows_text else "")
        self._fit()
        level = self._level
        of_session = {s.take_id for trial in session.trials for s in trial.stimuli if s.take_id is not None}

        def prepare() -> tuple[list[Lane], float]:
            target = level_of_test(project, of_session) if level is None else level
            measured = project.takes.measured([take.id for take in takes])
            words = [measured[take.id].words if take.id in measured else () for take in takes]
            # lanes are told apart by trial: the same clip may come twice in a row and has to be heard twice
            lanes, _ = prepare_lanes(
                [(index * _MOST_CLIPS + k, project.takes.load(take), words[k], len(text.split()))
                 for k, take in enumerate(takes)],
                target_lufs=target,
            )  # fmt: skip
            return lanes, target

        def arrived(found: tuple[list[Lane], float]) -> None:
            if self._session is session and session.index == index:
                self._level = found[1]
                self._state.player.load(found[0], on=0)
                self._enable()
                if self.isVisible():
                    self.toggle()

        self._state.background.run(prepare, arrived, self._state.complain, topic="booth")
        (self if session.shown.question.choices else self.written).setFocus()

    @staticmethod
    def _several(session: ListeningSession) -> bool:
        return len(session.shown.clips) > 1

    # -- hearing and answering

    def toggle(self) -> None:
        """Play or pause; a new start of a clip counts as another play."""
        mixer = self._state.player.mixer
        if not self._state.player.heard and not self._state.player.look_for_device():
            self._enable()
            return
        if self._session is not None and mixer.lanes:
            if not mixer.playing and (mixer.time_s == 0 or self._at_end()):
                self._session.note_play()
            self._state.player.toggle()

    def hear(self, clip: int) -> None:
        """Another clip of the trial, at the same place in the text; from its beginning where the one before is over."""
        mixer = self._state.player.mixer
        if self._session is None or clip >= len(mixer.lanes):
            return
        over = self._at_end()
        self._state.player.swap(clip, by_text=True)
        if over:
            self._state.player.seek(0.0)
        if not mixer.playing:
            self.toggle()
        self._enable()

    def _at_end(self) -> bool:
        mixer = self._state.player.mixer
        return bool(mixer.lanes) and mixer.time_s >= mixer.lanes[mixer.on].duration_s - 0.01

    def answer(self, value: int | str) -> None:
        if self._session is None or self._asked is None or not self._state.player.heard:
            return
        self._moved()
        try:
            if self._session.answer({self._asked.name: value}):
                self._state.player.pause()
                self.written.clear()
                self._next()
        except ZestError as error:
            self._state.complain(error)

    def correct(self) -> None:
        """A slip of the key: the last answer is asked for anew."""
        if self._session is not None and self._session.correct():
            self._state.player.pause()
            self._next()

    def _moved(self) -> None:
        session, mixer = self._session, self._state.player.mixer
        if session is None or not self.isVisible() or session.finished or not mixer.lanes:
            return
        first = session.index * _MOST_CLIPS
        if mixer.lanes[0].key == first and self._state.player.heard:
            for k, (_, at) in enumerate(session.shown.clips):
                session.played(at, mixer.heard_share(first + k))
            self._heard.setValue(round(mixer.time_s / max(0.01, mixer.lanes[mixer.on].duration_s) * 1000))
            self.play.set_text("Pause" if mixer.playing else "Play")
        self._enable()

    def _enable(self) -> None:
        session, mixer = self._session, self._state.player.mixer
        heard = self._state.player.heard
        may = session is not None and session.may_answer and heard
        for grade in self.answers.values():
            grade.setEnabled(may)
        self.written.setReadOnly(not heard)
        self.back.setVisible(session is not None and session.may_correct)
        for k, one in enumerate(self.clips):
            one.setEnabled(k < len(mixer.lanes))
            one.setChecked(bool(mixer.lanes) and mixer.on == k)
        must = 0.0 if session is None else session.settings.must_hear
        set_role(self._hint, "quiet" if heard else "bad")
        if not heard:
            self._hint.setText("There is no sound device, so nothing can be rated. Connect one, then press Play.")
        elif may and not self.answers:
            self._hint.setText("Write it down, then press Enter. Ctrl+Space plays it again.")
        elif may:
            keys = [key.upper() for key in self.answers]
            self._hint.setText(f"Answer with {', '.join(keys[:-1])} or {keys[-1]}.")
        else:
            each = f"at least {must:.0%} of each" if self.clips else f"at least {must:.0%} of it"
            self._hint.setText(f"Listen to {each} first.")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.text().lower()
        if key and self._asked is not None and key in self.answers:
            self.answer(next(choice.value for choice in self._asked.choices if choice.key == key))
        elif key.isdecimal() and 0 < int(key) <= len(self.clips):
            self.hear(int(key) - 1)
        elif event.key() == Qt.Key.Key_Space:
            self.toggle()
        elif event.key() == Qt.Key.Key_Backspace:
            self.correct()
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
        for widget in [*self._asking(), self.written, self.back]:
            widget.hide()
        self._middle.setMinimumHeight(0)
        assert session is not None
        place, total = session.counts
        done = "Every clip is rated." if session.finished else f"You stopped at {place} of {total}."
        self._place.setText("")
        self._text.setText(f"Thank you. {done} All your answers are kept. Please call whoever asked you to listen.")
        # a layout that has just lost most of its widgets asks the wrapped words for their height at the old width
        self._text.setMinimumHeight(self._text.heightForWidth(theme.px(560)))
        self.leave.setText("Back to the desk")
        self.leave.setFocus()
