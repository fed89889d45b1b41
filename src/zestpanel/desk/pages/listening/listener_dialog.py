"""What is known of a listener, to be mended; and forgetting a person."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

from PyQt6.QtCore import QStringListModel, Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QCompleter,
    QFormLayout,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QMessageBox,
    QVBoxLayout,
    QWidget,
)

from zestpanel.core.domain.listening import FLUENCY, Listener
from zestpanel.core.errors import InputError
from zestpanel.core.languages import locale_name, spoken_names, tag_of
from zestpanel.core.texts import tr
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.widgets import button, label, open_at
from zestpanel.desk.word_box import add_words, choose_word, chosen_word

AGES = ("", "under 25", "25 to 34", "35 to 44", "45 to 54", "55 to 64", "65 and over")
HEARING = ("not stated", "no known loss", "some loss", "hearing aid")
KITS = ("headphones", "speakers", "not stated")


def tags_of(text: str) -> list[str]:
    """Languages as a person writes them, by tag or by name, parted by commas or semicolons, tags also by spaces. Raises
    InputError for what is no language."""
    out: list[str] = []
    unknown: list[str] = []
    for part in text.replace(";", ",").split(","):
        words = [part.strip()] if tag_of(part) else part.split()
        for word_of in words:
            if not word_of:
                continue
            if (found := tag_of(word_of)) is not None:
                out.append(found)
            else:
                unknown.append(word_of)
    if unknown:
        raise InputError(
            tr("'{unknown}' is no language that is known here.", unknown=unknown[0][:40]),
            kept=tr("Nothing was changed."),
            remedy=tr("Write its name, or its tag such as en."),
        )
    return list(dict.fromkeys(one.lower() for one in out))


def offer_languages(field: QLineEdit) -> None:
    """Names of languages to choose from while one writes, several parted by commas."""
    names = spoken_names()
    offered = QCompleter(names, field)
    offered.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
    offered.setFilterMode(Qt.MatchFlag.MatchStartsWith)

    def split(text: str) -> None:
        """The last of them is what is offered."""
        before, comma, _ = text.rpartition(",")
        model = offered.model()
        if isinstance(model, QStringListModel):
            model.setStringList([f"{before}{comma} {name}" if comma else name for name in names])

    field.textEdited.connect(split)
    field.setCompleter(offered)


UNSTATED = "not stated"
MOST_LANGUAGES = 6  # that are asked about


class ListenerDialog(Dialog):
    """save(listener) keeps what was mended; forget() leaves a number. voices: (id, name), for the listener's own.
    others: who may be the same person; merge(id) gives that one this one's answers."""

    def __init__(
        self, parent: QWidget, person: Listener, voices: list[tuple[str, str]], save: Callable[[Listener], bool],
        forget: Callable[[], None], others: Sequence[Listener] = (), merge: Callable[[int], bool] = lambda _: False,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self._person, self._save, self._forget, self._merge = person, save, forget, merge
        self.setWindowTitle(tr("Listener: {alias}", alias=person.alias))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        form = QFormLayout()
        self.alias = QLineEdit(person.alias)
        self.languages = QLineEdit(", ".join(person.languages))
        self.languages.setPlaceholderText(tr("the first language first, such as en, fr"))
        self._told = label("", "small", wrap=True)
        offer_languages(self.languages)
        self.languages.textChanged.connect(self._tell)
        self.fluency: dict[str, QComboBox] = {}
        self._fluent = QGridLayout()
        self._fluent.setContentsMargins(0, 0, 0, 0)
        self.accent = QLineEdit(person.accent)
        self.accent.setPlaceholderText(tr("such as Scottish"))
        self.audience = QLineEdit(person.audience)
        self.audience.setPlaceholderText(tr("a group of the audience, such as gardeners"))
        self.age = _choices(AGES, person.age)
        self.hearing = _choices(HEARING, person.hearing)
        self.kit = _choices(KITS, person.kit)
        self.own_voice = QComboBox()
        self.own_voice.addItem(tr("none of these voices is theirs"), "")
        for voice, name in voices:
            self.own_voice.addItem(name, voice)
        self.own_voice.setCurrentIndex(max(0, self.own_voice.findData(person.own_voice)))
        for words, field in (
            (tr("Name or alias"), self.alias),
            (tr("Languages they speak"), self.languages),
            ("", self._told),
            (tr("How well"), self._fluent),
            (tr("Accent of their own"), self.accent),
            (tr("Group"), self.audience),
            (tr("Age"), self.age),
            (tr("Hearing, as they state it"), self.hearing),
            (tr("Heard on"), self.kit),
            (tr("Voice of their own"), self.own_voice),
        ):
            form.addRow(words, field)
        layout.addLayout(form)
        about = tr("No more than this is kept of a person. Answers about a listener's own voice are kept apart.")
        layout.addWidget(label(about, "quiet", wrap=True))
        foot = QHBoxLayout()
        foot.addWidget(button(tr("Forget this listener …"), self._ask_to_forget,
                              tip=tr("Leaves the answers, under a number")))  # fmt: skip
        self.merge = QComboBox()
        self.merge.addItem(tr("The same person as …"), 0)
        for other in others:
            self.merge.addItem(other.alias, other.id)
        self.merge.setVisible(bool(others))
        self.merge.activated.connect(self._merged)
        foot.addWidget(self.merge)
        foot.addStretch(1)
        foot.addWidget(button(tr("Cancel"), self.reject))
        foot.addWidget(button(tr("Keep"), self._keep, role="main"))
        layout.addLayout(foot)
        open_at(self, 560, 580)
        self._tell()

    def _tell(self) -> None:
        try:
            tags = tags_of(self.languages.text())
        except InputError as error:
            self._told.setText(error.what)
            return
        self._ask_how_well(tags)
        self._told.setText(", ".join(locale_name(tag) for tag in tags) if tags else
                           tr("Without languages their answers count in no score."))  # fmt: skip

    def _ask_how_well(self, tags: list[str]) -> None:
        """A choice for each language; what was chosen stays."""
        known = {**self._person.fluency, **{tag: chosen_word(box) for tag, box in self.fluency.items()}}
        while (item := self._fluent.takeAt(0)) is not None:
            widget: QWidget | None = item.widget()
            if widget is not None:
                widget.deleteLater()
        self.fluency = {}
        for k, tag in enumerate(dict.fromkeys(tags[:MOST_LANGUAGES])):
            box = _choices((UNSTATED, *FLUENCY), known.get(tag, UNSTATED))
            box.setAccessibleName(tr("How well: {locale_name}", locale_name=locale_name(tag)))
            self._fluent.addWidget(label(locale_name(tag), "quiet"), k, 0)
            self._fluent.addWidget(box, k, 1)
            self.fluency[tag] = box

    def _keep(self) -> None:
        try:
            languages = tags_of(self.languages.text())
        except InputError as error:
            self._told.setText(str(error))
            self.languages.setFocus()
            return
        changed = replace(
            self._person, alias=self.alias.text().strip(), languages=tuple(languages),
            accent=self.accent.text().strip(), audience=self.audience.text().strip(), age=chosen_word(self.age),
            hearing=chosen_word(self.hearing), kit=chosen_word(self.kit), own_voice=self.own_voice.currentData(),
            fluency={tag: chosen_word(box) for tag, box in self.fluency.items() if chosen_word(box) != UNSTATED},
        )  # fmt: skip
        if self._save(changed):
            self.accept()

    def _merged(self) -> None:
        if (other := self.merge.currentData()) and self._merge(other):
            self.accept()

    def _ask_to_forget(self) -> None:
        words = (tr("Forget {alias}? Name, accent, group, age and hearing go for good and cannot be brought "
"back; the answers stay under a number.", alias=self._person.alias))  # fmt: skip
        box = QMessageBox(QMessageBox.Icon.Question, tr("Forget this listener"), words, parent=self)
        go = box.addButton(tr("Forget"), QMessageBox.ButtonRole.DestructiveRole)
        box.addButton(tr("Keep"), QMessageBox.ButtonRole.RejectRole)
        box.finished.connect(lambda _: self._forgotten() if box.clickedButton() is go else None)
        box.open()

    def _forgotten(self) -> None:
        self._forget()
        self.accept()


def _choices(words: tuple[str, ...], now: str) -> QComboBox:
    box = QComboBox()
    add_words(box, [*words, *([now] if now not in words else [])])
    choose_word(box, now)
    return box
