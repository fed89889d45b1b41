"""The booth's widget for any kind of listening test: it draws a trial from its description, and keys alone suffice.

Digits hear a clip, letters or the scale's digits answer; nothing on it tells a name, an order or how many candidates.
"""

from __future__ import annotations

from functools import partial
from itertools import pairwise
from typing import Any, Final

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QProgressBar, QPushButton, QSpinBox, QVBoxLayout, QWidget

from zestpanel.core.errors import ZestError
from zestpanel.core.listening.entry import TURNED_AWAY
from zestpanel.core.listening.kind import HIGH, LONGEST_TEXT, LOW, Question, Shown
from zestpanel.core.listening.material import bed_of_test, lanes_of, level_of_test
from zestpanel.core.listening.session import REST_S, ListeningSession
from zestpanel.core.listening.told import Told
from zestpanel.core.playback.mixer import Lane, Stereo
from zestpanel.desk.booth.before import Before
from zestpanel.desk.booth.hearing import Hearing
from zestpanel.desk.booth.line import PlacingLine
from zestpanel.desk.room import Room
from zestpanel.desk.spoken import SpokenRemark
from zestpanel.desk.state import DeskState
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.widgets import KeyButton, button, label

_MOST_CLIPS: Final = 32  # of a trial: lanes are told apart by trial and clip
_MOST_BROKEN: Final = 3  # clips in a row, after which the session ends
_STEPS: Final = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Down: -1, Qt.Key.Key_Up: 1}


class Booth(Hearing):
    """finished: the session is over or was stopped; what was answered is kept at every answer."""

    finished = pyqtSignal()

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.setObjectName("booth")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._state = state
        self._session: ListeningSession | None = None
        self._level: float | None = None  # LUFS that every clip of the test is brought to
        self._rested_s = 0.0
        self._over: ListeningSession | None = None  # one that has ended, whose last answer may still be corrected
        self._skipped_on = 0  # clips in a row that could not be heard
        self._asks_to_stop = False
        self._given: dict[str, Any] = {}  # answers to the trial's questions so far
        self._asked: Question | None = None
        self._place, self._text = label("", "quiet"), label("", "reading", wrap=True)
        self._text.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._heard = QProgressBar()
        self._heard.setTextVisible(False)
        self._heard.setMaximum(1000)
        self._hint = label("", "quiet", wrap=True)
        self._hint.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.play = KeyButton("", "space")
        self.play.clicked.connect(self.toggle)
        self.clips: list[KeyButton] = []  # of a trial with several; one alone is just played
        self.answers: dict[str, QPushButton] = {}  # by the key that gives it
        self.line = PlacingLine()
        self.line.moved.connect(self._enable)
        self.line.chosen.connect(lambda token: self.hear(token + self._first_placed()))
        self.written = QLineEdit()  # for tests that ask for words
        self.written.setMaxLength(LONGEST_TEXT)
        self.written.returnPressed.connect(lambda: self.answer(self.written.text()))
        self.written.textChanged.connect(lambda _: self._enable())
        self.remark = QLineEdit()
        self.remark.setMaxLength(LONGEST_TEXT)
        self.remark.returnPressed.connect(self.setFocus)
        self.spoken = SpokenRemark()
        self.spoken.begun.connect(state.player.pause)
        self.spoken.changed.connect(self.setFocus)
        self._question = label("", "name", wrap=True)
        self._question.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.restart, self.looped = KeyButton("", "Home"), KeyButton("", "Ctrl+L")
        self.restart.clicked.connect(self.start_anew)
        self.looped.clicked.connect(self.loop)
        self._loop_from: float | None = None  # the place where a loop is to begin
        self.number = QSpinBox()
        self.number.setRange(LOW, HIGH)
        self.number.valueChanged.connect(self._number_typed)
        self.number.editingFinished.connect(self.setFocus)
        self.leave = button("", self._leave)
        for one in (self.restart, self.looped, self.leave):
            one.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.back = KeyButton("", "Backspace")
        self.back.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.back.clicked.connect(self.correct)
        self.before = Before(state.player)
        self.before.done.connect(self._begin_trials)
        self._build()
        state.player.moved.connect(self._moved)
        state.player.changed.connect(self._moved)

    def _build(self) -> None:
        head = QHBoxLayout()
        head.addWidget(self._place, 1)
        head.addWidget(self.restart)
        head.addWidget(self.looped)
        head.addWidget(self.back)
        head.addWidget(self.leave)
        self._middle = middle = QWidget()
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
        inner.addWidget(self.line)
        inner.addWidget(self.number, 0, Qt.AlignmentFlag.AlignHCenter)
        inner.addWidget(self.written)
        inner.addWidget(self.remark)
        inner.addWidget(self.spoken)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(32, 24, 32, 32)
        outer.addLayout(head)
        outer.addStretch(1)
        outer.addWidget(self.before, 0, Qt.AlignmentFlag.AlignHCenter)
        self._room = Room(middle)
        outer.addWidget(self._room, 0, Qt.AlignmentFlag.AlignHCenter)
        outer.addStretch(2)
        for first, then in pairwise((self, self.remark, self.play, self.number, self.restart, self.looped, self.back,
                                     self.leave)):  # fmt: skip
            QWidget.setTabOrder(first, then)  # what ends the session comes last
        self.before.setFixedWidth(theme.px(600))
        middle.setMinimumWidth(theme.px(560))
        for one in (self._room, self.before):  # until a session begins it asks for no room
            one.hide()

    @property
    def session(self) -> ListeningSession | None:
        return self._session

    def _speak(self, told: Told) -> None:
        self.play.set_text(told.tr("Play"), told.tr("space"))
        self.restart.set_text(told.tr("From the start"), told.tr("Home"))
        self.looped.set_text(told.tr("Loop"), "Ctrl+L")
        self.looped.setToolTip(told.tr("First press: it begins here; second: it ends here; third: no loop"))
        self.number.setPrefix(told.tr("place (P): "))
        self.number.setAccessibleName(told.tr("Place of the chosen sample"))
        self.leave.setText(told.tr("Stop here"))
        self.leave.setToolTip(told.tr("Everything answered is kept; go on later by the same name"))
        self.back.set_text(told.tr("Correct the last answer"), told.tr("Backspace"))
        self.written.setPlaceholderText(told.tr("what you heard; Enter goes on"))
        self.written.setAccessibleName(told.tr("What you heard"))
        self.remark.setPlaceholderText(told.tr("a remark, if you like (Tab); Enter goes back to the answers"))
        self.remark.setAccessibleName(told.tr("A remark"))
        self.spoken.speak(told)

    # -- the way through a session

    def begin(self, session: ListeningSession) -> None:
        self._text.setMinimumHeight(0)
        self._session, self._over, self._rested_s, self._skipped_on = session, None, 0.0, 0
        self._speak(session.told)
        self._state.player.mixer.lay_bed(None)  # what the lead listened over is no part of the test
        self._level = session.level_lufs
        self._state.player.look_for_device()
        if session.finished:
            self._end()
            return
        self._only(self.before)
        if session.checks.get(TURNED_AWAY):
            self._turn_away(session)
            return
        self.before.begin(session, level_lufs=self._level if session.settings.level_check else None)

    def _only(self, shown: QWidget) -> None:
        self.before.setVisible(shown is self.before)
        self._room.setVisible(shown is self._room)
        self._place.setText("")
        for one in (self.back, self.restart, self.looped):
            one.setVisible(False)

    def _begin_trials(self) -> None:
        if self._session is not None:
            self._session.note_checks(self.before.found)
            if self.before.found.get(TURNED_AWAY):
                self._turn_away(self._session)
                return
            for one in (self.line, self.number, self.written, self.remark, self.spoken):
                one.hide()  # shown where a trial asks for them: all at once would want more room than a screen has
            self._only(self._room)
            self._next()

    def _next(self) -> None:
        session = self._session
        assert session is not None
        if session.finished:
            self._end()
            return
        if session.listened_s - self._rested_s >= REST_S:
            self._rested_s = session.listened_s
            self._only(self.before)
            self.before.rest(session.told, round(REST_S / 60))
            return
        self._say_place(session)
        self._given = {}
        self.remark.clear()
        self.spoken.clear()
        self._lay_out(session.shown)
        self._state.player.load([], on=0)
        self._enable()
        self._text.setText(session.text_of(session.trial, self._state.project.texts.version_text)[0])
        self._fit()
        self._prepare(session)

    def _say_place(self, session: ListeningSession) -> None:
        place, total = session.counts
        part = (
            self.told.tr("Training, not scored")
            if session.in_training
            else self.told.tr("Clip")
            if len(session.shown.lanes) == 1
            else self.told.tr("Trial")
        )
        self._place.setText(self.told.tr("{part} · {place} of {total}", part=part, place=place, total=total))

    def _prepare(self, session: ListeningSession) -> None:
        """Make the trial's lanes off this thread, and play the first when they are there."""
        project, index, level = self._state.project, session.index, self._level
        trial, lanes, settings = session.trial, session.shown.lanes, session.settings
        of_session = {s.take_id for one in session.trials for s in one.stimuli if s.take_id is not None}

        def prepare() -> tuple[list[Lane], float, Stereo | None]:
            target = level_of_test(project.takes, of_session) if level is None else level
            # lanes are told apart by trial: the same clip may come twice in a row and has to be heard twice
            made = lanes_of(
                project.takes, project.texts, trial, lanes, settings, level_lufs=target, first_key=index * _MOST_CLIPS
            )
            return made, target, bed_of_test(project.clips, settings, level_lufs=target)

        def arrived(found: tuple[list[Lane], float, Stereo | None]) -> None:
            if self._session is session and session.index == index:
                self._level = found[1]
                self._state.player.mixer.lay_bed(found[2])
                self._state.player.load(found[0], on=0)
                self._skipped_on = 0
                self._enable()
                if self.isVisible():
                    self.toggle()

        def broken(error: object) -> None:
            """A clip that cannot be heard is skipped and told to the lead, by name; the listener goes on."""
            if self._session is not session or session.index != index:
                return
            self._state.complain(error if isinstance(error, ZestError) else str(error))
            self._skipped_on += 1
            if self._skipped_on > _MOST_BROKEN:  # that is no clip: the disk is gone, or the project
                self._end()
                return
            session.skip(error.what if isinstance(error, ZestError) else str(error))
            self._next()

        self._state.background.run(prepare, arrived, broken, topic="booth")

    # -- a trial, from its description

    def _lay_out(self, shown: Shown) -> None:
        """Buttons for the clips and the answers of the trial, kept from trial to trial where they are the same."""
        names = self._lane_names(shown)
        if [one.words() for one in self.clips] != names:
            for one in self.clips:
                self._clip_row.removeWidget(one)
                one.deleteLater()
            self.clips = []
            for at, name in enumerate(names):
                one = KeyButton(name, self._key_of(shown, at), checkable=True)
                one.setFocusPolicy(Qt.FocusPolicy.TabFocus)
                one.clicked.connect(partial(self.hear, at))
                self._clip_row.insertWidget(1 + at, one)
                self.clips.append(one)
        for widget in (self.play, self._heard, self._hint, self.restart, self.looped, *self.clips):
            widget.show()
        self._loop_from = None
        self._state.player.mixer.set_loop(None)
        remarks = self._session is not None and self._session.settings.comments
        self.remark.setVisible(remarks)
        if not (remarks and self.spoken.look()):
            self.spoken.hide()
        self._ask(shown.questions[0])

    def _lane_names(self, shown: Shown) -> list[str]:
        """What the buttons say; samples that are placed are told apart by number alone."""
        if len(shown.lanes) == 1:
            return []
        first = sum(lane.reference for lane in shown.lanes)
        return [lane.name or self.told.tr("Sample {k}", k=k - first + 1) for k, lane in enumerate(shown.lanes)]

    @staticmethod
    def _key_of(shown: Shown, at: int) -> str:
        """Digits in order; 0 for a reference."""
        return "0" if shown.lanes[at].reference else str(at + 1 - sum(one.reference for one in shown.lanes[:at]))

    def _ask(self, question: Question) -> None:
        if self._asked != question:
            self._asked = question
            for grade in self.answers.values():
                self._answer_column.removeWidget(grade)
                grade.deleteLater()
            self.answers = {}
            for choice in question.choices:
                grade = button(f"{choice.key.upper()}    {choice.words}", partial(self.answer, choice.value),
                               role="grade")  # fmt: skip
                grade.setFocusPolicy(Qt.FocusPolicy.TabFocus)
                self._answer_column.addWidget(grade)
                grade.show()  # at once, since the height of all is asked for now
                self.answers[choice.key] = grade
            self._question.setText(question.words)
        if question.places:
            self.line.begin(question.places, question.bands, self.told)
        self._question.show()
        self.line.setVisible(bool(question.places))
        self.number.setVisible(bool(question.places))
        last: QWidget = self.play
        for one in (*self.clips, *self.answers.values(), self.restart):
            QWidget.setTabOrder(last, one)
            last = one
        self.written.setVisible(not question.choices and not question.places)
        self._middle.setMaximumWidth(theme.px(860 if question.places else 620))
        self._middle.setMinimumWidth(theme.px(800 if question.places else 560))
        self._fit()
        (self.written if self.written.isVisibleTo(self) else self).setFocus()

    # -- keys

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, code = event.text().lower(), event.key()
        if self.before.isVisible():
            if code == Qt.Key.Key_Escape:
                self._leave()
            else:
                self.before.keyPressEvent(event)
        elif code == Qt.Key.Key_Backspace and self._over is not None:
            self.correct()
        elif key and self._asked is not None and key in self.answers:
            self.answer(next(choice.value for choice in self._asked.choices if choice.key == key))
        elif key.isdecimal() and (at := self._lane_of(key)) is not None:
            self.hear(at)
        elif self._asked is not None and self._asked.places and self._place_key(event):
            pass
        elif code == Qt.Key.Key_Space:
            self.toggle()
        elif code == Qt.Key.Key_Home:
            self.start_anew()
        elif code == Qt.Key.Key_Left:
            self.back_up()
        elif code == Qt.Key.Key_L and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.loop()
        elif code == Qt.Key.Key_Backspace:
            self.correct()
        elif code == Qt.Key.Key_Escape:
            self._leave()
        else:
            super().keyPressEvent(event)

    def _lane_of(self, digit: str) -> int | None:
        session = self._session
        if session is None or session.finished or not self.clips:
            return None
        keys = [self._key_of(session.shown, at) for at in range(len(session.shown.lanes))]
        return keys.index(digit) if digit in keys else None

    # -- the end

    def _leave(self) -> None:
        """Ask whether to stop, then stop; and from the page that says so, back to the desk."""
        session = self._session
        if session is None:
            self.finished.emit()
        elif self._asks_to_stop or not self._room.isVisibleTo(self):
            self._end()
        else:
            self._asks_to_stop = True
            self._state.player.pause()
            self._only(self.before)
            self.before.ask_to_stop(session.told, session.index, len(session.trials), self._go_on, self._end)

    def _go_on(self) -> None:
        """Not stopped after all: the trial is as it was."""
        self._asks_to_stop = False
        if self._session is not None:
            self._only(self._room)
            self.restart.show()
            self.looped.show()
            self._say_place(self._session)
            self._enable()
            (self.written if self.written.isVisibleTo(self) else self).setFocus()

    def _turn_away(self, session: ListeningSession) -> None:
        """Who does not take part is thanked, and hears nothing."""
        self._end(session.told.say("turned_away"))

    def _end(self, instead: str = "") -> None:
        """The listener's last page: the desk behind it shows names and scores, and is for whoever runs the test.
        instead: of what is said after an answer."""
        session, self._session = self._session, None
        assert session is not None
        self._over = session if session.finished and session.may_correct else None
        self._asks_to_stop = False
        self.spoken.clear()  # a remark belongs to an answer
        self._only(self._room)
        self._state.player.pause()
        self._state.player.load([], on=0)
        self._state.player.mixer.lay_bed(None)
        for widget in (self.play, self._heard, self._hint, self._question, self.line, self.number, self.written,
                       self.remark, self.spoken, *self.clips, *self.answers.values()):  # fmt: skip
            widget.hide()
        self._asked = None
        for grade in self.answers.values():
            self._answer_column.removeWidget(grade)
            grade.deleteLater()
        self.answers = {}
        self._middle.setMinimumHeight(0)
        told = session.told
        place, total = session.counts
        done = (
            told.tr("Every clip is rated.")
            if session.finished
            else told.tr("You stopped at {place} of {total}.", place=place, total=total)
        )
        self._text.setText(
            instead
            or told.tr(
                "Thank you. {done} All your answers are kept. Please call whoever asked you to listen.", done=done
            )
        )
        # a layout that has just lost most of its widgets asks the wrapped words for their height at the old width
        self._text.setMinimumHeight(self._text.heightForWidth(theme.px(560)))
        self.back.setVisible(self._over is not None)
        self.leave.setText(told.tr("Back to the desk"))
        self.leave.setFocus()
