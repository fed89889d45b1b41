"""The answers behind a line of a result, each with the clip that was heard."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from zestpanel.core.audio.files import read_kept
from zestpanel.core.domain.listening import Answered
from zestpanel.core.listening.design import judged_at
from zestpanel.core.texts import tr
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.hearing import hear_clip, hear_take
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table
from zestpanel.desk.widgets import button, label, open_at


class AnswersDialog(Dialog):
    """Enter or a double click plays the clip of an answer."""

    def __init__(self, parent: QWidget, state: DeskState, test_id: int, candidate_id: int) -> None:
        super().__init__(parent)
        self._state, self._candidate = state, candidate_id
        candidate = next((c for c in state.bench.candidates if c.id == candidate_id), None)
        name = state.name(candidate) if candidate is not None else tr("Anchor")
        self.setWindowTitle(tr("Answers: {name}", name=name))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.addWidget(label(tr("Answers: {name}", name=name), "name"))
        layout.addWidget(label(tr("As they were given. Enter plays what was heard."), "quiet"))
        self.table = Table()
        self.table.setAccessibleName(tr("Answers"))
        self.table.row_chosen.connect(self._play)
        layout.addWidget(self.table, 1)
        foot = QHBoxLayout()
        foot.addWidget(button(tr("Copy table"), self.table.copy))
        self.remark = button(tr("Hear the spoken remark"), self._hear_remark)
        self.remark.hide()
        foot.addWidget(self.remark)
        self.table.itemSelectionChanged.connect(self._selected)
        foot.addStretch(1)
        foot.addWidget(button(tr("Close"), self.accept, role="main"))
        layout.addLayout(foot)
        self._answers: list[Answered] = []
        open_at(self, 820, 500)
        project = state.project
        state.background.run(lambda: project.answers.of_test(test_id), self._show, state.complain)

    def _show(self, answers: list[Answered]) -> None:
        people = {p.id: p.alias for p in self._state.project.panel.listeners()}
        titles = {p.version_id: p.title for p in self._state.bench.passages}
        self._answers = [one for one in answers if self._clip(one) is not None]
        rows = [
            [people.get(one.listener_id, "?"),
             titles.get(one.trial.stimuli[judged_at(one.trial)].passage_version_id, tr("an earlier text")),
             in_words(one.answer.given), one.answer.note or (tr("spoken") if one.answer.spoken else ""),
             one.answer.created[:16].replace("T", " ")]
            for one in self._answers
        ]  # fmt: skip
        self.table.show_rows([tr("Listener"), tr("Passage"), tr("Answer"), tr("Remark"), tr("Given")], rows)

    def _selected(self) -> None:
        self.remark.setVisible(bool(self._spoken()))

    def _spoken(self) -> str:
        row = self.table.currentRow()
        return self._answers[row].answer.spoken if 0 <= row < len(self._answers) else ""

    def _hear_remark(self) -> None:
        if name := self._spoken():
            hear_clip(self._state, lambda: read_kept(self._state.project.clips.path(name)))

    def _clip(self, one: Answered) -> int | None:
        return next((s.take_id for s in one.trial.stimuli if s.candidate_id == self._candidate), None)

    def _play(self, row: int) -> None:
        state, take_id = self._state, self._clip(self._answers[row])
        take = next((t for t in state.project.takes.all() if t.id == take_id), None)
        if take is not None:
            hear_take(state, take)

    def done(self, result: int) -> None:
        """What was laid on for an answer goes with the dialog; the tray is as it was."""
        self._state.player.pause()
        self._state.tray.load()
        super().done(result)


def in_words(given: Any) -> str:
    """'score 4', 'score 4, person same', 'places 10 50 90'."""
    parts = []
    for name, value in given.items():
        said = " ".join(map(str, value)) if isinstance(value, list) else str(value)
        parts.append(said if name in ("choice", "text", "says") else f"{name} {said}")
    return ", ".join(parts)
