"""What comes before a listener's first trial: what to do, how loud to listen, and whether headphones are worn."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

import numpy as np
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QBoxLayout, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from zestpanel.core.audio.clip import Clip, as_samples
from zestpanel.core.listening import headphones
from zestpanel.core.listening.entry import ENTRY, TURNED_AWAY, given_by, turned_away
from zestpanel.core.listening.session import ListeningSession
from zestpanel.core.listening.told import Told
from zestpanel.core.playback.mixer import Lane, as_played, prepare_lanes
from zestpanel.core.speech.builtin_voice import speak, voice_for_language
from zestpanel.desk.playing.player import Player
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.widgets import button, label, set_role

_WIDTH, _MARGIN = 600, 12  # pixels at 100 %
_LEVEL_LANE, _TONES_LANE = -1, -2
_TONES_SHARE = 0.7  # of the three tones: from here on the third is heard


class Before(QWidget):
    """done: everything was shown and checked; what the checks found is in ``found``."""

    done = pyqtSignal()

    def __init__(self, player: Player) -> None:
        super().__init__()
        self._player = player
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.found: dict[str, object] = {}
        self._told = Told()
        self._stages: list[Callable[[], None]] = []
        self._keys: dict[str, Callable[[], None]] = {}
        self._right, self._trial = 0, 0
        self._plan: list[tuple[int, int]] = []
        column = QVBoxLayout(self)
        column.setSpacing(14)
        self._lines = [label("", "lead", wrap=True), label("", "", wrap=True), label("", "quiet", wrap=True)]
        for one in self._lines:
            column.addWidget(one)
        self._buttons = QHBoxLayout()
        self._buttons.setSpacing(10)
        column.addSpacing(10)
        column.addLayout(self._buttons)

    def begin(self, session: ListeningSession, *, level_lufs: float | None) -> None:
        """level_lufs: of the test, where its level is to be checked; None for no check. Who takes part is asked first,
        and once."""
        self._told, self.found, settings = session.told, {}, session.settings
        self._stages = []
        if settings.entry and given_by(session.checks, settings.entry) is None:
            self._given: list[int] = []
            self._stages = [partial(self._entry, session, at) for at in range(len(settings.entry))]
        self._stages.append(lambda: self._instructions(session.kind.name))
        if level_lufs is not None:
            self._stages.append(lambda: self._level(level_lufs))
        if settings.headphone_check:
            self._stages.append(self._headphones)
        self._next()

    def words(self) -> str:
        return " ".join(one.text() for one in self._lines if one.text())

    def rest(self, told: Told, minutes: int) -> None:
        """A break is offered; going on leads to the next trial."""
        self._told, self._stages = told, []
        self._show([told.say("break", minutes=minutes)], [(told.say("go_on"), "", self._next)])

    def ask_to_stop(
        self, told: Told, done: int, total: int, go_on: Callable[[], None], stop: Callable[[], None]
    ) -> None:  # fmt: skip
        """Enter goes on: who presses a wrong key loses nothing."""
        self._told, self._stages = told, []
        words = told.tr("Stop here? {done} of {total} are answered; all of it is kept, and you can go on later by the "
                        "same name.", done=done, total=total)  # fmt: skip
        self._show([words], [(told.tr("Go on listening"), "", go_on), (told.tr("Stop"), "s", stop)])

    def _next(self) -> None:
        self._player.pause()
        self._player.load([], on=0)
        if self._stages:
            self._stages.pop(0)()
        else:
            self.done.emit()

    def _show(
        self, lines: list[str], answers: Sequence[tuple[str, str, Callable[[], None]]], *, down: bool = False
    ) -> None:
        """answers: (words, key, what it does); the first one is also what Enter does. down: one below the other, alike
        in weight."""
        self._buttons.setDirection(QBoxLayout.Direction.TopToBottom if down else QBoxLayout.Direction.LeftToRight)
        for one, text in zip(self._lines, [*lines, "", "", ""], strict=False):
            one.setText(text)
            one.setVisible(bool(text))
            # while the page of a moment ago is still shown its layout would ask at the old width
            one.setMinimumHeight(one.heightForWidth(theme.px(_WIDTH) - 2 * _MARGIN) if text else 0)
        while (item := self._buttons.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        self._keys = {}
        for k, (words, key, act) in enumerate(answers):
            made: QPushButton = button(f"{key.upper()}    {words}" if key else words, act,
                                       role="grade" if down else "main" if not k else "")  # fmt: skip
            made.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            self._buttons.addWidget(made)
            if key:
                self._keys[key] = act
            if not k:
                self._keys["enter"] = act
        self._buttons.addStretch(1)
        self.setMinimumHeight(0)
        if (layout := self.layout()) is not None:
            layout.activate()
            self.setMinimumHeight(layout.totalHeightForWidth(max(theme.px(560), self.width())))
        self.setFocus()

    # -- the stages

    def _entry(self, session: ListeningSession, at: int) -> None:
        question = session.settings.entry[at]
        answers = [(self._told.tr(one.words), str(k + 1), partial(self._answered, session, at, k))
                   for k, one in enumerate(question.answers)]  # fmt: skip
        self._show([self._told.tr(question.words)], answers, down=True)
        self._keys.pop("enter")  # a guess by Enter is none

    def _answered(self, session: ListeningSession, at: int, answer: int) -> None:
        self._given.append(answer)
        self.found[ENTRY] = list(self._given)
        why = turned_away(session.settings.entry[at], at, answer, session.taking_part())
        if why:
            self.found[TURNED_AWAY] = why
            self._stages = []
        self._next()

    def _instructions(self, kind: str) -> None:
        self._show(self._told.instructions(kind), [(self._told.say("begin"), "", self._next)])

    def _level(self, level_lufs: float) -> None:
        said = speak(self._told.say("level_text"), voice=voice_for_language(self._told.language))
        clip = Clip(samples=as_samples(said.samples), rate_hz=said.rate_hz)
        lanes, _ = prepare_lanes([(_LEVEL_LANE, clip, (), 1)], target_lufs=level_lufs)
        self._show(
            [self._told.say("level")],
            [
                (self._told.say("go_on"), "", self._level_is_set),
                (self._told.say("again"), "a", lambda: self._play(lanes)),
            ],
        )
        self._play(lanes)

    def _level_is_set(self) -> None:
        self.found["level"] = "set"
        self._next()

    def _headphones(self) -> None:
        self._right, self._trial = 0, 0
        self._plan = headphones.plan(np.random.default_rng())
        self._show([self._told.say("headphones")], [(self._told.say("begin"), "", self._tones)])

    def _tones(self) -> None:
        lane = as_played(_TONES_LANE, headphones.tones(*self._plan[self._trial]))
        answers = [(self._told.say(name), str(k + 1), partial(self._heard, k))
                   for k, name in enumerate(("first", "second", "third"))]  # fmt: skip
        self._show([f"{self._told.say('softest')}  ({self._trial + 1} / {headphones.TRIALS})"], answers)
        self._keys.pop("enter")  # a guess by Enter is none
        self._play([lane])

    def _heard(self, place: int) -> None:
        if self._player.mixer.heard_share(_TONES_LANE) < _TONES_SHARE:
            return  # a guess before all three were heard tells nothing
        self._right += place == self._plan[self._trial][0]
        self._trial += 1
        if self._trial < headphones.TRIALS:
            self._tones()
            return
        good = headphones.passed(self._right)
        self.found["headphones"] = {"right": self._right, "of": headphones.TRIALS, "passed": good}
        words = self._told.say("headphones_passed" if good else "headphones_failed")
        more = [] if good else [(self._told.say("again"), "a", self._headphones)]
        self._show([words], [(self._told.say("go_on"), "", self._next), *more])

    def _play(self, lanes: list[Lane]) -> None:
        self._player.load(lanes, on=0)
        if self._player.look_for_device():
            self._player.play()
        else:
            set_role(self._lines[-1], "bad")
            self._lines[-1].setText(self._told.tr("There is no sound device. Connect one first."))
            self._lines[-1].show()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = "enter" if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) else event.text().lower()
        if key in self._keys:
            self._keys[key]()
        else:
            super().keyPressEvent(event)
