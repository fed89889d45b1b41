"""What is said about a text besides its words: tags, whose it is, where from, which text it translates."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from PyQt6.QtWidgets import QCheckBox, QComboBox, QFormLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from zestpanel.core.clock import today
from zestpanel.core.domain.passage import RIGHTS, Passage, Review
from zestpanel.core.texts import tr
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.widgets import button, label, open_at


class AboutText(Dialog):
    """keep gets the values that were changed, by name."""

    def __init__(
        self, parent: QWidget, passage: Passage, others: Sequence[Passage], keep: Callable[[dict[str, Any]], None]
    ) -> None:
        super().__init__(parent)
        self._passage, self._keep = passage, keep
        self.setWindowTitle(tr("About '{title}'", title=passage.title))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.addWidget(label(passage.title, "name"))
        form = QFormLayout()
        self.tags = QLineEdit(", ".join(passage.tags))
        self.tags.setPlaceholderText(tr("news, a laugh, chapter …"))
        self.rights = QComboBox()
        for key, words in RIGHTS.items():
            self.rights.addItem(words, key)
        self.rights.setCurrentIndex(max(0, self.rights.findData(passage.rights)))
        self.source = QLineEdit(passage.source)
        self.translates = QComboBox()
        self.translates.addItem(tr("of no other passage"), None)
        for other in others:
            self.translates.addItem(f"{other.title} ({other.language})", other.id)
        self.translates.setCurrentIndex(max(0, self.translates.findData(passage.translation_of)))
        self.reviewed = QCheckBox(tr("read and found right by"))
        self.by = QLineEdit(passage.reviewed.by if passage.reviewed else "")
        self.by.setPlaceholderText(tr("name or initials"))
        self.reviewed.setChecked(passage.reviewed is not None)
        self.reviewed.toggled.connect(lambda _: self._ready())
        self.by.textChanged.connect(lambda _: self._ready())
        review = QHBoxLayout()
        review.addWidget(self.reviewed)
        review.addWidget(self.by, 1)
        form.addRow(tr("Tags"), self.tags)
        form.addRow(tr("Rights"), self.rights)
        form.addRow(tr("Source"), self.source)
        form.addRow(tr("Translation"), self.translates)
        form.addRow(tr("Reviewed"), review)
        layout.addLayout(form)
        layout.addWidget(
            label(tr("A text for testing only is heard and scored; the decision record names it as such. A "
                  "translation nobody has read may be what sounds wrong."), "small", wrap=True)
        )  # fmt: skip
        layout.addStretch(1)
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(button(tr("Cancel"), self.reject))
        self.agree = button(tr("Keep"), self._agree, role="main")
        foot.addWidget(self.agree)
        layout.addLayout(foot)
        open_at(self, 520, 330)
        self._ready()

    def _ready(self) -> None:
        self.agree.setEnabled(not self.reviewed.isChecked() or bool(self.by.text().strip()))

    def _agree(self) -> None:
        old = self._passage.reviewed
        review = None
        if self.reviewed.isChecked():
            by = self.by.text().strip()
            review = old if old is not None and old.by == by else Review(by=by, on=today().isoformat())
        values = {
            "tags": tuple(tag.strip() for tag in self.tags.text().split(",") if tag.strip()),
            "rights": str(self.rights.currentData()),
            "source": self.source.text().strip(),
            "translation_of": self.translates.currentData(),
            "reviewed": review,
        }
        self.accept()
        self._keep({name: value for name, value in values.items() if value != getattr(self._passage, name)})
