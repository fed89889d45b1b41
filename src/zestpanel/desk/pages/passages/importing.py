"""A script that leaves a choice: which of its parts become passages, cut how, in which language."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Final

from PyQt6.QtCore import QAbstractListModel, QItemSelection, QItemSelectionModel, QModelIndex, Qt
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QComboBox,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QListView,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from zestpanel.core.domain.passage import RIGHTS, title_from
from zestpanel.core.errors import ZestError
from zestpanel.core.text.cutting import CUTS, cut_script
from zestpanel.core.text.readers.script import SPOKEN, Part, Script
from zestpanel.core.text.readers.tables import script_of_rows
from zestpanel.core.texts import tr, trn, word
from zestpanel.core.typed import typed_language
from zestpanel.desk.background import Background
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.widgets import button, label, open_at
from zestpanel.desk.word_box import add_words, chosen_word

FEW: Final = 40  # parts up to which all are chosen at first
LONG: Final = 50_000  # characters up to which a script is cut at once


def leaves_a_choice(script: Script) -> bool:
    """Whether a person should be asked: parts that may not be meant to be spoken, speakers, columns, or very many."""
    width = max((len(row) for row in script.table), default=0)
    return len(script.counts()) > 1 or bool(script.speakers()) or width > 1 or len(script.parts) > FEW


class PartsModel(QAbstractListModel):
    """Parts of a script, a line each; very many of them are no trouble."""

    def __init__(self) -> None:
        super().__init__()
        self._parts: list[Part] = []

    def show(self, parts: list[Part]) -> None:
        self.beginResetModel()
        self._parts = parts
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self._parts)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> str | None:
        if role != Qt.ItemDataRole.DisplayRole:
            return None
        part = self._parts[index.row()]
        first = " ".join(part.text[:400].split())
        text = f"{part.speaker}: {first}" if part.speaker else first
        return text if len(text) <= 200 else text[:197] + "…"


@dataclass(frozen=True, slots=True, kw_only=True)
class Chosen:
    """What a person agreed to: parts with their titles; dialogue: the dialogue they become, '' for passages."""

    parts: tuple[Part, ...]
    titles: tuple[str, ...]
    language: str
    rights: str = ""
    dialogue: str = ""


class ImportDialog(Dialog):
    """take: gets what was chosen, once, when the person agrees."""

    def __init__(
        self,
        parent: QWidget,
        path: Path,
        script: Script,
        language: str,
        take: Callable[[Chosen], None],
        *,
        background: Background,
        rights: str = "",
    ) -> None:
        super().__init__(parent)
        self._background = background
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
            self.form.addRow(tr("Column with the text"), self.column)
            self.column.activated.connect(lambda _: self._other_column())
        kinds = QHBoxLayout()
        self.kinds: dict[str, QCheckBox] = {}
        for kind, count in script.counts().items():
            box = QCheckBox(_counted(kind, count))
            box.setChecked(kind in SPOKEN)
            box.toggled.connect(lambda _: self._fill())
            self.kinds[kind] = box
            kinds.addWidget(box)
        kinds.addStretch(1)
        self.form.addRow(tr("Take"), kinds)
        cut = QHBoxLayout()
        self.cut, self.most = QComboBox(), QSpinBox()
        add_words(self.cut, CUTS)
        self.most.setRange(40, 20_000)
        self.most.setValue(400)
        self.most.setSuffix(tr(" characters"))
        self.cut.currentIndexChanged.connect(lambda _: self._fill())
        self.most.valueChanged.connect(lambda _: self._fill())
        cut.addWidget(self.cut)
        cut.addWidget(self.most)
        cut.addStretch(1)
        self.form.addRow(tr("Cut"), cut)
        self.language = QLineEdit(script.language or language)
        self.rights = QComboBox()
        for key, words in RIGHTS.items():
            self.rights.addItem(words, key)
        self.rights.setCurrentIndex(max(0, self.rights.findData(rights)))
        about = QHBoxLayout()
        about.addWidget(self.language)
        about.addWidget(label(tr("Rights in the text")))
        about.addWidget(self.rights)
        about.addStretch(1)
        self.form.addRow(tr("Language"), about)
        self.as_dialogue = QCheckBox(tr("as a dialogue to be cast, a turn each"))
        if script.speakers() or any(part.start_s is not None for part in script.parts):
            self.form.addRow(tr("Speakers"), self.as_dialogue)
            self.as_dialogue.toggled.connect(lambda _: self._count())
        layout.addLayout(self.form)
        self.model = PartsModel()
        self.list = QListView()
        self.list.setModel(self.model)
        self.list.setUniformItemSizes(True)
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.MultiSelection)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.list.setAccessibleName(tr("Parts to become passages"))
        selection = self.list.selectionModel()
        assert selection is not None
        selection.selectionChanged.connect(lambda *_: self._count())
        layout.addWidget(self.list, 1)
        self.counted = label("", "quiet")
        layout.addWidget(self.counted)
        foot = QHBoxLayout()
        foot.addWidget(button(tr("All"), self.list.selectAll))
        foot.addWidget(button(tr("None"), self.list.clearSelection))
        foot.addStretch(1)
        foot.addWidget(button(tr("Cancel"), self.reject))
        self.agree = button(tr("Make passages"), self._agree, role="main")
        foot.addWidget(self.agree)
        layout.addLayout(foot)
        open_at(self, 720, 560)
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
        """The parts as they would become passages; all of a few are chosen, of very many only the first.

        A long script is cut off the interface thread.
        """
        self.most.setVisible(chosen_word(self.cut) == "of at most")
        script, cut, most = self._script, chosen_word(self.cut), self.most.value()
        wanted = {kind for kind, box in self.kinds.items() if box.isChecked()}
        language = self.language.text().strip()

        def work() -> list[Part]:
            return cut_script(script, wanted, cut, most_characters=most, language=language)

        if sum(len(part.text) for part in script.parts) < LONG:
            self._show(work())
        else:
            self.counted.setText(tr("Cutting a long script …"))
            self._background.run(work, self._show, lambda error: self.counted.setText(str(error)), topic="cutting")

    def _show(self, parts: list[Part]) -> None:
        self._parts = parts
        self.model.show(parts)
        shown = len(parts) if len(parts) <= FEW else 12
        chosen = QItemSelection(self.model.index(0), self.model.index(shown - 1)) if parts else QItemSelection()
        selection = self.list.selectionModel()
        assert selection is not None
        selection.select(chosen, QItemSelectionModel.SelectionFlag.ClearAndSelect)
        self._count()

    def chosen(self) -> list[Part]:
        return [self._parts[i] for i in sorted(index.row() for index in self.list.selectedIndexes())]

    def _count(self) -> None:
        chosen = self.chosen()
        characters = sum(len(part.text) for part in chosen)
        self.counted.setText(
            tr(
                "{chosen} of {parts} parts, {characters} characters.",
                chosen=f"{len(chosen):,}",
                parts=f"{len(self._parts):,}",
                characters=f"{characters:,}",
            )
        )
        what = tr("turn") if self.as_dialogue.isChecked() else tr("passage")
        self.agree.setText(
            trn("Make {chosen} {what}", "Make {chosen} {what}s", len(chosen), chosen=f"{len(chosen):,}", what=what)
            if chosen
            else tr("Keep whole")
        )
        self.agree.setToolTip("" if chosen else tr("No passage yet: choose from it later, under Coverage"))

    def _agree(self) -> None:
        chosen = self.chosen()
        try:
            language = typed_language(self.language.text() or "en-GB")
        except ZestError as error:
            self.counted.setText(str(error))
            return
        titles = tuple(f"{p.speaker}: {title_from(p.text)}"[:40] if p.speaker else title_from(p.text) for p in chosen)
        self.accept()
        dialogue = self._path.stem.replace("_", " ") if self.as_dialogue.isChecked() and chosen else ""
        self._take(
            Chosen(
                parts=tuple(chosen),
                titles=titles,
                language=language,
                rights=str(self.rights.currentData()),
                dialogue=dialogue,
            )
        )


def _counted(kind: str, count: int) -> str:
    forms = {
        "heading": trn("{count} heading", "{count} headings", count, count=f"{count:,}"),
        "paragraph": trn("{count} paragraph", "{count} paragraphs", count, count=f"{count:,}"),
        "caption": trn("{count} caption", "{count} captions", count, count=f"{count:,}"),
        "line": trn("{count} line", "{count} lines", count, count=f"{count:,}"),
        "direction": trn("{count} direction", "{count} directions", count, count=f"{count:,}"),
        "note": trn("{count} note", "{count} notes", count, count=f"{count:,}"),
    }
    return forms.get(kind) or f"{count:,} {word(kind)}"
