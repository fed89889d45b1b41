"""What is known of a listener, to be mended; and forgetting a person."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QFormLayout,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QMessageBox,
    QVBoxLayout,
    QWidget,
)

from zestpanel.core.domain.listening import FLUENCY, Listener
from zestpanel.core.languages import locale_name
from zestpanel.desk.widgets import button, label, open_at

AGES = ("", "under 25", "25 to 34", "35 to 44", "45 to 54", "55 to 64", "65 and over")
HEARING = ("not stated", "no known loss", "some loss", "hearing aid")
KITS = ("headphones", "speakers", "not stated")


def tags_of(text: str) -> list[str]:
    """Language tags as a person writes them, parted by commas, semicolons or spaces."""
    return [tag.lower() for tag in text.replace(";", " ").replace(",", " ").split()]


UNSTATED = "not stated"
MOST_LANGUAGES = 6  # that are asked about


class ListenerDialog(QDialog):
    """save(listener) keeps what was mended; forget() leaves a number. voices: (id, name), for the listener's own."""

    def __init__(
        self, parent: QWidget, person: Listener, voices: list[tuple[str, str]], save: Callable[[Listener], bool],
        forget: Callable[[], None],
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self._person, self._save, self._forget = person, save, forget
        self.setWindowTitle(f"Listener: {person.alias}")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        form = QFormLayout()
        self.alias = QLineEdit(person.alias)
        self.languages = QLineEdit(", ".join(person.languages))
        self.languages.setPlaceholderText("the first language first, such as en, fr")
        self._told = label("", "small", wrap=True)
        self.languages.textChanged.connect(self._tell)
        self.fluency: dict[str, QComboBox] = {}
        self._fluent = QGridLayout()
        self._fluent.setContentsMargins(0, 0, 0, 0)
        self.accent = QLineEdit(person.accent)
        self.accent.setPlaceholderText("such as Scottish")
        self.audience = QLineEdit(person.audience)
        self.audience.setPlaceholderText("a group of the audience, such as gardeners")
        self.age = _choices(AGES, person.age)
        self.hearing = _choices(HEARING, person.hearing)
        self.kit = _choices(KITS, person.kit)
        self.own_voice = QComboBox()
        self.own_voice.addItem("none of these voices is theirs", "")
        for voice, name in voices:
            self.own_voice.addItem(name, voice)
        self.own_voice.setCurrentIndex(max(0, self.own_voice.findData(person.own_voice)))
        for words, field in (
            ("Name or alias", self.alias), ("Languages they speak", self.languages), ("", self._told),
            ("How well", self._fluent),
            ("Accent of their own", self.accent), ("Group", self.audience), ("Age", self.age),
            ("Hearing, as they state it", self.hearing), ("Heard on", self.kit), ("Voice of their own", self.own_voice),
        ):  # fmt: skip
            form.addRow(words, field)
        layout.addLayout(form)
        about = "No more than this is kept of a person. Answers about a listener's own voice are kept apart."
        layout.addWidget(label(about, "quiet", wrap=True))
        foot = QHBoxLayout()
        foot.addWidget(button("Forget this listener …", self._ask_to_forget,
                              tip="Leaves the answers, under a number"))  # fmt: skip
        foot.addStretch(1)
        foot.addWidget(button("Cancel", self.reject))
        foot.addWidget(button("Keep", self._keep, role="main"))
        layout.addLayout(foot)
        open_at(self, 560, 580)
        self._tell()

    def _tell(self) -> None:
        tags = tags_of(self.languages.text())
        self._ask_how_well(tags)
        self._told.setText(", ".join(locale_name(tag) for tag in tags) if tags else
                           "Without languages their answers count in no score.")  # fmt: skip

    def _ask_how_well(self, tags: list[str]) -> None:
        """A choice for each language; what was chosen stays."""
        known = {**self._person.fluency, **{tag: box.currentText() for tag, box in self.fluency.items()}}
        while (item := self._fluent.takeAt(0)) is not None:
            widget: QWidget | None = item.widget()
            if widget is not None:
                widget.deleteLater()
        self.fluency = {}
        for k, tag in enumerate(dict.fromkeys(tags[:MOST_LANGUAGES])):
            box = _choices((UNSTATED, *FLUENCY), known.get(tag, UNSTATED))
            box.setAccessibleName(f"How well: {locale_name(tag)}")
            self._fluent.addWidget(label(locale_name(tag), "quiet"), k, 0)
            self._fluent.addWidget(box, k, 1)
            self.fluency[tag] = box

    def _keep(self) -> None:
        changed = replace(
            self._person, alias=self.alias.text().strip(), languages=tuple(tags_of(self.languages.text())),
            accent=self.accent.text().strip(), audience=self.audience.text().strip(), age=self.age.currentText(),
            hearing=self.hearing.currentText(), kit=self.kit.currentText(), own_voice=self.own_voice.currentData(),
            fluency={tag: box.currentText() for tag, box in self.fluency.items() if box.currentText() != UNSTATED},
        )  # fmt: skip
        if self._save(changed):
            self.accept()

    def _ask_to_forget(self) -> None:
        words = (f"Forget {self._person.alias}? Name, accent, group, age and hearing go for good and cannot be brought "
                 "back; the answers stay under a number.")  # fmt: skip
        box = QMessageBox(QMessageBox.Icon.Question, "Forget this listener", words, parent=self)
        go = box.addButton("Forget", QMessageBox.ButtonRole.DestructiveRole)
        box.addButton("Keep", QMessageBox.ButtonRole.RejectRole)
        box.finished.connect(lambda _: self._forgotten() if box.clickedButton() is go else None)
        box.open()

    def _forgotten(self) -> None:
        self._forget()
        self.accept()


def _choices(words: tuple[str, ...], now: str) -> QComboBox:
    box = QComboBox()
    box.addItems([*words, *([now] if now not in words else [])])
    box.setCurrentText(now)
    return box
