"""A listening test is planned from the question: which kind answers it, who and what is in it, how long it takes."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from zestpanel.core.domain.listening import PlannedTrial
from zestpanel.core.languages import language_name
from zestpanel.core.listening.kinds.own_question import KIND as OWN_KIND
from zestpanel.core.listening.material import takes_to_hear
from zestpanel.core.listening.registry import kind_of, kinds
from zestpanel.core.listening.scales import SCALES
from zestpanel.core.listening.scores import primary
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.store.project import Project
from zestpanel.desk.widgets import button, label, open_at

OWN = OWN_KIND.name
LONG_MIN = 30  # a listener's sitting (common practice, no source)
ANSWERING_S = 4.0  # to make up one's mind about a trial (common practice, no source)


def questions() -> list[tuple[str, str, str]]:
    """(what the lead wants to know, kind, scale), a category rating for each scale, then the other kinds."""
    rated = [(scale.about, "ACR", name) for name, scale in SCALES.items()]
    return rated + [(kind.asks, kind.name, "ACR") for kind in kinds().values() if kind.name != "ACR"]


class NewTestDialog(QDialog):
    """begin: called with (kind, settings) when the test is to be opened."""

    def __init__(
        self, parent: QWidget, project: Project, names: dict[int, str], begin: Callable[[str, TestSettings], None]
    ) -> None:
        super().__init__(parent)
        self._project, self._begin = project, begin
        self.setWindowTitle("New listening test")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.setSpacing(10)
        self._form = form = QFormLayout()
        self.question = QComboBox()
        for words, kind, scale in questions():
            self.question.addItem(f"{words}  ·  {kind_of(kind).title}", (kind, scale))
        form.addRow("What do you want to know?", self.question)
        self.own = QLineEdit()
        self.own.setPlaceholderText("such as: did it laugh, rather than read the laugh out?")
        self.own.setMaxLength(200)
        form.addRow("Your question", self.own)
        self.most = QSpinBox()
        self.most.setRange(0, 500)
        self.most.setSpecialValueText("all")
        self.most.setSuffix(" trials")
        form.addRow("A listener hears at most", self.most)
        self.training = QSpinBox()
        self.training.setRange(0, 10)
        self.training.setValue(2)
        self.training.setSuffix(" trials")
        form.addRow("Unscored, to begin with", self.training)
        layout.addLayout(form)
        lists = QHBoxLayout()
        self.candidates = _ticks(names)
        self.passages = _ticks({p.id: p.title for p in project.texts.all()})
        for title, one in (("Candidates", self.candidates), ("Passages", self.passages)):
            column = QVBoxLayout()
            column.addWidget(label(title, "strong"))
            column.addWidget(one)
            lists.addLayout(column)
            one.setAccessibleName(title)
            one.itemChanged.connect(self._told)
        layout.addLayout(lists, 1)
        self.told = label("", "small", wrap=True)
        layout.addWidget(self.told)
        foot = QHBoxLayout()
        foot.addWidget(button("Cancel", self.reject))
        foot.addStretch(1)
        self.agree = button("Open this test", self._open_it, role="main")
        foot.addWidget(self.agree)
        layout.addLayout(foot)
        self.question.currentIndexChanged.connect(self._told)
        self.own.textChanged.connect(self._told)
        self.most.valueChanged.connect(self._told)
        self.training.valueChanged.connect(self._told)
        open_at(self, 720, 560)
        self.question.setFocus()
        self._told()

    def settings(self) -> tuple[str, TestSettings]:
        kind, scale = self.question.currentData()
        return kind, TestSettings(
            candidate_ids=_ticked(self.candidates), passage_ids=_ticked(self.passages), scale=scale,
            most=self.most.value(), training=self.training.value(), question=self.own.text().strip(),
        )  # fmt: skip

    def _told(self) -> None:
        """How long the test is for one listener, language by language; and what stands against it."""
        name, settings = self.settings()
        kind = kind_of(name)
        self._form.setRowVisible(self.own, name == OWN)
        able = takes_to_hear(self._project, settings)
        languages = {p.version_id: primary(p.language) for p in self._project.texts.all()}
        lasts = {take.id: take.duration_s for take in self._project.takes.all(with_timing=False)}
        parts, longest = [], 0
        for language in dict.fromkeys(languages[version] for _, version in able):
            here = {key: take for key, take in able.items() if languages[key[1]] == language}
            planned = kind.design(here, settings, listener=0, rng=np.random.default_rng(1))
            if planned:
                minutes = max(1, round(sum(_seconds(one, lasts) for one in planned) / 60))
                parts.append(f"{language_name(language)}: {len(planned)} trials, about {minutes} min a listener")
                longest = max(longest, minutes)
        asks = name != OWN or bool(settings.question)
        enough = asks and len(settings.candidate_ids) >= kind.fewest_candidates and bool(parts)
        self.agree.setEnabled(enough)
        if enough:
            long = (
                f" Longer than {LONG_MIN} minutes tires: fewer candidates, passages or trials."
                if longest > LONG_MIN
                else ""
            )
            self.told.setText("; ".join(parts) + "." + long)
        elif not asks:
            self.told.setText("Write the question that listeners answer with yes or no.")
        elif len(settings.candidate_ids) < kind.fewest_candidates:
            self.told.setText(
                f"{kind.title[:1].upper()}{kind.title[1:]} needs at least {kind.fewest_candidates} candidates."
            )
        else:
            self.told.setText("No passage has clips of enough of these candidates: render the missing takes first.")

    def _open_it(self) -> None:
        self.accept()
        self._begin(*self.settings())


def _seconds(trial: PlannedTrial, lasts: dict[int, float]) -> float:
    heard = sum(lasts.get(s.take_id, 0.0) for s in trial.stimuli if s.take_id is not None)
    return heard + ANSWERING_S


def _ticks(names: dict[int, str]) -> QListWidget:
    out = QListWidget()
    for key, name in names.items():
        item = QListWidgetItem(name)
        item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
        item.setCheckState(Qt.CheckState.Checked)
        item.setData(Qt.ItemDataRole.UserRole, key)
        out.addItem(item)
    return out


def _ticked(ticks: QListWidget) -> tuple[int, ...]:
    items = [item for i in range(ticks.count()) if (item := ticks.item(i)) is not None]
    return tuple(item.data(Qt.ItemDataRole.UserRole) for item in items if item.checkState() == Qt.CheckState.Checked)
