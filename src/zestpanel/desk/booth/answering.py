"""Answers in the booth: which are allowed now, how they are given, and what a listener is to do next."""

from __future__ import annotations

from typing import Any, Final

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QLabel, QLineEdit, QProgressBar, QPushButton, QSpinBox, QVBoxLayout, QWidget

from zestpanel.core.errors import ZestError
from zestpanel.core.listening.kind import HIGH, LOW, Question
from zestpanel.core.listening.session import ListeningSession
from zestpanel.core.listening.told import Told
from zestpanel.desk.booth.line import PlacingLine
from zestpanel.desk.room import Room
from zestpanel.desk.spoken import SpokenRemark
from zestpanel.desk.state import DeskState
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.widgets import KeyButton, set_role

_MOST_CLIPS: Final = 32  # of a trial: lanes are told apart by trial and clip
_STEPS: Final = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Down: -1, Qt.Key.Key_Up: 1}


class Answering(QWidget):
    """Under the booth, which makes the parts that are named here."""

    play: KeyButton
    back: KeyButton
    looped: KeyButton
    restart: KeyButton
    number: QSpinBox
    _over: ListeningSession | None
    _loop_from: float | None
    clips: list[KeyButton]
    answers: dict[str, QPushButton]
    line: PlacingLine
    written: QLineEdit
    remark: QLineEdit
    spoken: SpokenRemark
    _state: DeskState
    _session: ListeningSession | None
    _given: dict[str, Any]
    _asked: Question | None
    _heard: QProgressBar
    _question: QLabel
    _hint: QLabel
    _middle: QWidget
    _room: Room
    _answer_column: QVBoxLayout

    @property
    def told(self) -> Told:
        """What speaks the listener's language."""
        return self._session.told if self._session is not None else Told()

    @property
    def _once(self) -> bool:
        """Whether the question is one to a single hearing."""
        return self._asked is not None and self._asked.once

    def _next(self) -> None:
        raise NotImplementedError

    def _speak(self, told: Told) -> None:
        raise NotImplementedError

    def _only(self, shown: QWidget) -> None:
        raise NotImplementedError

    def _ask(self, question: Question) -> None:
        raise NotImplementedError

    def _first_placed(self) -> int:
        shown = self._session.shown if self._session is not None else None
        return sum(lane.reference for lane in shown.lanes) if shown is not None else 0

    def _fit(self) -> None:
        """A layout whose buttons have changed is asked for its height anew, at the width it has."""
        inner, outer = self._middle.layout(), self.layout()
        if inner is None or outer is None:
            return
        width = max(self._middle.minimumWidth(), min(self._middle.width(), self._middle.maximumWidth()))
        around = self.play.height() + outer.contentsMargins().top() + outer.contentsMargins().bottom() + theme.px(12)
        for low in (False, True):  # where not all answers would be seen, which leans them, they lie closer together
            inner.setSpacing(theme.px(5 if low else 14))
            self._answer_column.setSpacing(theme.px(3 if low else 8))
            for grade in self.answers.values():
                set_role(grade, "low grade" if low else "grade")
            inner.activate()
            high = inner.totalHeightForWidth(width)
            if high <= self.height() - around:
                break
        self._middle.setMinimumHeight(high)
        self._room.updateGeometry()
        outer.activate()

    def answer(self, value: int | str | list[int]) -> None:
        """Answer the question that is asked; the last one of a trial leads to the next trial."""
        session, asked = self._session, self._asked
        if session is None or asked is None or not self._state.player.heard:
            return
        self._moved()
        if not session.may_answer or (self._once and self._state.player.mixer.playing):
            return
        self._given[asked.name] = value
        rest = [one for one in session.shown.questions if one.name not in self._given]
        if rest:
            self._ask(rest[0])
            self._enable()
            return
        try:
            said = self.spoken.finish()
            spoken = self._state.project.clips.keep(said) if said is not None else ""
            if session.answer(self._given, note=self.remark.text().strip(), spoken=spoken):
                self._state.player.pause()
                self.written.clear()
                self._next()
        except ZestError as error:
            self._given = {}
            self._state.complain(error)

    def correct(self) -> None:
        """A slip of the key: the question before is asked anew, within the trial or of the one before."""
        if self._session is None and self._over is not None:  # all was answered, and the last of it is meant otherwise
            over, self._over = self._over, None
            if over.correct():
                self._session = over
                self._speak(over.told)
                self._only(self._room)
                self._next()
            return
        session = self._session
        if session is None:
            return
        if self._given and not session.shown.once:
            name = next(reversed(self._given))
            del self._given[name]
            self._ask(next(one for one in session.shown.questions if one.name == name))
            self._enable()
        elif session.correct():
            self._state.player.pause()
            self._next()

    def _moved(self) -> None:
        session, mixer = self._session, self._state.player.mixer
        if session is None or not self._middle.isVisible() or session.finished or not mixer.lanes:
            return
        first = session.index * _MOST_CLIPS
        if mixer.lanes[0].key == first and self._state.player.heard:
            for k in range(len(mixer.lanes)):
                session.played(k, mixer.heard_share(first + k))
            must = max(0.01, session.settings.must_hear)
            self._heard.setValue(round(1000 * min(1.0, session.heard(mixer.on) / must)))  # no length is shown
            self.play.set_text(self.told.tr("Pause") if mixer.playing else self.told.tr("Play"))
        self._enable()

    def _enable(self) -> None:
        session, mixer = self._session, self._state.player.mixer
        heard = self._state.player.heard
        may = session is not None and session.may_answer and heard and not (self._once and mixer.playing)
        for grade in self.answers.values():
            grade.setEnabled(may)
        if self._once:  # who knows what will be asked listens for that alone
            for part in (self._question, *self.answers.values()):
                part.setVisible(may)
        self.written.setReadOnly(not heard)
        self.line.set_active(heard and bool(mixer.lanes))
        anew = session is not None and (
            session.may_correct or (bool(self._given) and not session.finished and not session.shown.once)
        )
        self.back.setVisible(anew and self._room.isVisibleTo(self))
        self.looped.set_text(
            self.told.tr("No loop") if mixer.loop is not None
            else self.told.tr("Loop to here") if self._loop_from is not None else self.told.tr("Loop from here")
        )  # fmt: skip
        under_way = session is not None and not session.finished and self._room.isVisibleTo(self)
        self.looped.setVisible(under_way and not self._once and session is not None and session.shown.by_text)
        self.restart.setVisible(under_way and not self._once)
        if self._asked is not None and self._asked.places and self.focusWidget() is not self.number:
            place = self.line.places[self.line.on] if self.line.on < len(self.line.places) else None
            self.number.blockSignals(True)
            self.number.setValue((LOW + HIGH) // 2 if place is None else place)
            self.number.blockSignals(False)
        for k, one in enumerate(self.clips):
            one.setEnabled(k < len(mixer.lanes))
            one.setChecked(bool(mixer.lanes) and mixer.on == k)
        set_role(self._hint, "quiet" if heard else "bad")
        self._hint.setText(self._what_to_do(may))

    def _what_to_do(self, may: bool) -> str:
        if not self._state.player.heard:
            return self.told.tr("There is no sound device, so nothing can be rated. Connect one, then press Play.")
        if not may:
            must = 0.0 if self._session is None else self._session.settings.must_hear
            each = (
                self.told.tr("at least {must} of each", must=f"{must:.0%}")
                if self.clips
                else self.told.tr("at least {must} of it", must=f"{must:.0%}")
            )
            moves = (
                self.told.tr(" Digits choose one, arrows place it.")
                if self._asked is not None and self._asked.places
                else ""
            )
            if self._once:
                return self.told.tr("Listen: it is heard once, then comes the question.")
            return self.told.tr("Listen to {each} first.{moves}", each=each, moves=moves)
        if self._asked is not None and self._asked.places:
            if not self.line.whole:
                return self.told.tr(
                    "Digits choose a sample, arrows place it on the line (Shift by tens), P types a number; or drag it."
                )
            return self.told.tr("All are placed. Enter goes on.")
        if not self.answers:
            return self.told.tr("Write it down, then press Enter. Ctrl+Space plays it again.")
        keys = [key.upper() for key in self.answers]
        return self.told.tr("Answer with {keys} or {keys2}.", keys=", ".join(keys[:-1]), keys2=keys[-1])

    def _place_key(self, event: QKeyEvent) -> bool:
        """Whether the key moved a token or ended the placing."""
        code = event.key()
        if code == Qt.Key.Key_P:
            self.number.setFocus()
            self.number.selectAll()
            return True
        if code in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            places = [place for place in self.line.places if place is not None]
            if self.line.whole:
                self.answer(places)
            return True
        for arrow, by in _STEPS.items():
            if code == arrow:
                self.line.step(10 * by if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else by)
                return True
        return False
