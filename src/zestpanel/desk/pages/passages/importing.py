"""A script that leaves a choice: which of its parts become passages, cut how, in which language."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Final

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
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

from zestpanel.core.errors import ZestError
from zestpanel.core.passages.passage import RIGHTS, title_from
from zestpanel.core.passages.readers.script import SPOKEN, Part, Script
from zestpanel.core.passages.readers.tables import script_of_rows
from zestpanel.core.passages.splitting import split_scenes, split_sentences, split_to_size
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.widgets import button, label

FEW: Final = 40  # parts up to which all are chosen at first
CUTS: Final = ("as they are", "one a sentence", "of at most", "one a scene", "one a speaker's turn")


def leaves_a_choice(script: Script) -> bool:
    """Whether a person should be asked: parts that may not be meant to be spoken, speakers, columns, or very many."""
    width = max((len(row) for row in script.table), default=0)
    return len(script.counts()) > 1 or bool(script.speakers()) or width > 1 or len(script.parts) > FEW


@dataclass(frozen=True, slots=True, kw_only=True)
class Chosen:
    """What a person agreed to: parts with their titles; scene: the dialogue they become, '' for passages."""

    parts: tuple[Part, ...]
    titles: tuple[str, ...]
    language: str
    rights: str = ""
    scene: str = ""


class ImportDialog(QDialog):
    """take: gets what was chosen, once, when the person agrees."""

    def __init__(
        self,
        parent: QWidget,
        path: Path,
        script: Script,
        language: str,
        take: Callable[[Chosen], None],
        *,
        rights: str = "",
    ) -> None:
        super().__init__(parent)
        self._path, self._script, self._take = path, script, take
        self.setWindowTitle(path.name)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.addWidget(label(path.name, "name"))
        self.how = label(script.how, "quiet", wrap=True)
        layout.addWidget(self.how)
        self.form = QFormLayout()
        self.form.setLabelAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        self.column = QComboBox()
        width = max((len(row) for row in script.table), default=0)
        for i in range(width):
            head = script.table[0][i] if i < len(script.table[0]) else ""
            self.column.addItem(f"{i + 1}: {head[:40]}", i)
        if width > 1:
            self.form.addRow("Column with the text", self.column)
            self.column.activated.connect(lambda _: self._other_column())
        kinds = QHBoxLayout()
        self.kinds: dict[str, QCheckBox] = {}
        for kind, count in script.counts().items():
            box = QCheckBox(f"{count:,} {kind}{'' if kind == 'front matter' else 's' * (count != 1)}")
            box.setChecked(kind in SPOKEN)
            box.toggled.connect(lambda _: self._fill())
            self.kinds[kind] = box
            kinds.addWidget(box)
        kinds.addStretch(1)
        self.form.addRow("Take", kinds)
        cut = QHBoxLayout()
        self.cut, self.most = QComboBox(), QSpinBox()
        self.cut.addItems(CUTS)
        self.most.setRange(40, 20_000)
        self.most.setValue(400)
        self.most.setSuffix(" characters")
        self.cut.currentIndexChanged.connect(lambda _: self._fill())
        self.most.valueChanged.connect(lambda _: self._fill())
        cut.addWidget(self.cut)
        cut.addWidget(self.most)
        cut.addStretch(1)
        self.form.addRow("Cut", cut)
        self.language = QLineEdit(script.language or language)
        self.rights = QComboBox()
        for key, words in RIGHTS.items():
            self.rights.addItem(words, key)
        self.rights.setCurrentIndex(max(0, self.rights.findData(rights)))
        about = QHBoxLayout()
        about.addWidget(self.language)
        about.addWidget(label("Rights in the text"))
        about.addWidget(self.rights)
        about.addStretch(1)
        self.form.addRow("Language", about)
        self.as_dialogue = QCheckBox("as a dialogue to be cast, a turn each")
        if script.speakers() or any(part.start_s is not None for part in script.parts):
            self.form.addRow("Speakers", self.as_dialogue)
            self.as_dialogue.toggled.connect(lambda _: self._count())
        layout.addLayout(self.form)
        self.list = QListWidget()
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.list.setAccessibleName("Parts to become passages")
        self.list.itemSelectionChanged.connect(self._count)
        layout.addWidget(self.list, 1)
        self.counted = label("", "quiet")
        layout.addWidget(self.counted)
        foot = QHBoxLayout()
        foot.addWidget(button("All", self.list.selectAll))
        foot.addWidget(button("None", self.list.clearSelection))
        foot.addStretch(1)
        foot.addWidget(button("Cancel", self.reject))
        self.agree = button("Make passages", self._agree, role="main")
        foot.addWidget(self.agree)
        layout.addLayout(foot)
        self.resize(theme.px(720), theme.px(560))
        self._parts: list[Part] = []
        self._fill()

    def _other_column(self) -> None:
        try:
            self._script = script_of_rows([list(row) for row in self._script.table], self._path.name,
                                          column=self.column.currentData())  # fmt: skip
        except ZestError as error:
            self.counted.setText(str(error))
            return
        self.how.setText(self._script.how)
        self._fill()

    def _fill(self) -> None:
        """The parts as they would become passages; all of a few are chosen, of very many only the first."""
        self.most.setVisible(self.cut.currentIndex() == 2)
        wanted = {kind for kind, box in self.kinds.items() if box.isChecked()}
        self._parts = []
        spoken = [p for p in self._script.parts if p.kind in wanted and any(c.isalnum() for c in p.text)]
        for part in _by_turn(spoken) if self.cut.currentIndex() == 4 else spoken:
            pieces = self._cut(part.text)
            alone = len(pieces) == 1
            self._parts += [
                Part(text=text, speaker=part.speaker, start_s=part.start_s if alone else None, end_s=part.end_s if alone
                     else None) for text in pieces
            ]  # fmt: skip
        if self.cut.currentIndex() == 3:
            script = "\n\n".join(part.text for part in self._script.parts if part.kind in (*wanted, "heading"))
            self._parts = [Part(text=text) for text in split_scenes(script)]
        self.list.blockSignals(True)
        self.list.clear()
        for i, part in enumerate(self._parts):
            first = " ".join(part.text.split())
            text = f"{part.speaker}: {first}" if part.speaker else first
            item = QListWidgetItem(text if len(text) <= 200 else text[:197] + "…")
            self.list.addItem(item)
            item.setSelected(len(self._parts) <= FEW or i < 12)
        self.list.blockSignals(False)
        self._count()

    def _cut(self, text: str) -> list[str]:
        language = self.language.text().strip()
        if self.cut.currentIndex() == 1:
            return split_sentences(text, language)
        return split_to_size(text, self.most.value(), language) if self.cut.currentIndex() == 2 else [text]

    def chosen(self) -> list[Part]:
        return [self._parts[i] for i in sorted(index.row() for index in self.list.selectedIndexes())]

    def _count(self) -> None:
        chosen = self.chosen()
        characters = sum(len(part.text) for part in chosen)
        self.counted.setText(f"{len(chosen):,} of {len(self._parts):,} parts, {characters:,} characters.")
        what = "turn" if self.as_dialogue.isChecked() else "passage"
        self.agree.setText(f"Make {len(chosen):,} {what}{'s' if len(chosen) != 1 else ''}" if chosen else "Keep whole")
        self.agree.setToolTip("" if chosen else "No passage yet: choose from it later, under Coverage")

    def _agree(self) -> None:
        chosen = self.chosen()
        titles = tuple(f"{p.speaker}: {title_from(p.text)}"[:40] if p.speaker else title_from(p.text) for p in chosen)
        self.accept()
        scene = self._path.stem.replace("_", " ") if self.as_dialogue.isChecked() and chosen else ""
        self._take(
            Chosen(
                parts=tuple(chosen),
                titles=titles,
                language=self.language.text().strip() or "en-GB",
                rights=str(self.rights.currentData()),
                scene=scene,
            )
        )


def _by_turn(parts: list[Part]) -> list[Part]:
    """Parts of one speaker after each other as one."""
    out: list[Part] = []
    for part in parts:
        if out and out[-1].speaker == part.speaker:
            out[-1] = Part(text=f"{out[-1].text}\n\n{part.text}", speaker=part.speaker)
        else:
            out.append(part)
    return out
