"""What is asked beside the sound: who takes part, before the first trial; and what a text says, after it was heard."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Final

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QFormLayout,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QScrollArea,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from zestpanel.core.listening.content import ContentQuestion, wrong_with_content
from zestpanel.core.listening.entry import (
    MOST_ANSWERS,
    MOST_QUESTIONS,
    EntryAnswer,
    EntryQuestion,
    wrong_with_entry,
)
from zestpanel.core.texts import tr
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.widgets import button, label, open_at

_LONGEST: Final = 300


class _Asking(Dialog):
    """Blocks in a column that scrolls, a sentence where something is not right, and *Keep*."""

    def __init__(self, parent: QWidget, title: str, about: str) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.setSpacing(10)
        layout.addWidget(label(about, "quiet", wrap=True))
        inside = QWidget()
        self.blocks = QVBoxLayout(inside)
        self.blocks.setContentsMargins(0, 0, 8, 0)
        self.blocks.setSpacing(16)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFrameShape(QScrollArea.Shape.NoFrame)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # it follows the focus of what stands in it
        area.setWidget(inside)
        layout.addWidget(area, 1)
        self.wrong: QLabel = label("", "bad", wrap=True)
        self.wrong.hide()
        layout.addWidget(self.wrong)
        self.foot = QHBoxLayout()
        self.foot.addWidget(button(tr("Cancel"), self.reject))
        self.foot.addStretch(1)
        self.foot.addWidget(button(tr("Keep"), self._keep, role="main"))
        layout.addLayout(self.foot)
        open_at(self, 700, 520)

    def _keep(self) -> None:
        raise NotImplementedError

    def _done(self, problem: str) -> bool:
        """Whether it can be kept; what is not right is said where it stands."""
        self.wrong.setText(problem)
        self.wrong.setVisible(bool(problem))
        if not problem:
            self.accept()
        return not problem


class EntryBlock(QWidget):
    """A question with its answers; a further line appears once the last one is written in."""

    def __init__(self, asked: EntryQuestion | None = None) -> None:
        super().__init__()
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(theme.px(12))
        self._grid.setColumnStretch(0, 1)
        self.words = QLineEdit(asked.words if asked is not None else "")
        self.words.setMaxLength(_LONGEST)
        self.words.setPlaceholderText(tr("such as: how often do you hear audiobooks?"))
        self.words.setAccessibleName(tr("Question"))
        self._grid.addWidget(self.words, 0, 0, 1, 3)
        for column, head in enumerate((tr("Answer"), tr("Takes part"), tr("Wanted"))):
            self._grid.addWidget(label(head, "small"), 1, column)
        self.lines: list[tuple[QLineEdit, QCheckBox, QSpinBox]] = []
        for answer in asked.answers if asked is not None else ():
            self._add(answer)
        while len(self.lines) < 2:
            self._add()
        self._one_more()

    def _add(self, answer: EntryAnswer | None = None) -> None:
        number = len(self.lines) + 1
        words, admits, wanted = QLineEdit(), QCheckBox(), QSpinBox()
        words.setMaxLength(_LONGEST)
        words.setAccessibleName(tr("Answer {number}", number=number))
        admits.setAccessibleName(tr("Answer {number} takes part", number=number))
        wanted.setAccessibleName(tr("Listeners wanted with answer {number}", number=number))
        wanted.setRange(0, 500)
        wanted.setSpecialValueText(tr("any number"))
        words.setText(answer.words if answer is not None else "")
        admits.setChecked(answer is None or answer.admits)
        wanted.setValue(answer.wanted if answer is not None else 0)
        wanted.setEnabled(admits.isChecked())
        admits.toggled.connect(wanted.setEnabled)
        words.textChanged.connect(self._one_more)
        for column, widget in enumerate((words, admits, wanted)):
            self._grid.addWidget(widget, 1 + number, column)
        self.lines.append((words, admits, wanted))

    def _one_more(self) -> None:
        if self.lines[-1][0].text().strip() and len(self.lines) < MOST_ANSWERS:
            self._add()

    def asked(self) -> EntryQuestion | None:
        """None where nothing is written."""
        given = tuple(
            EntryAnswer(text, admits.isChecked(), wanted.value() if admits.isChecked() else 0)
            for words, admits, wanted in self.lines if (text := " ".join(words.text().split()))
        )  # fmt: skip
        question = " ".join(self.words.text().split())
        return EntryQuestion(question, given) if question or given else None


class EntryDialog(_Asking):
    """done: called with the questions when they are kept."""

    def __init__(
        self, parent: QWidget, asked: Sequence[EntryQuestion], done: Callable[[tuple[EntryQuestion, ...]], None]
    ) -> None:
        about = tr(
            "Each listener answers by a digit before the first clip. Whoever gives an answer that does not take part, "
            "or that enough have given, is thanked and hears nothing. Results can be told apart by these answers."
        )
        super().__init__(parent, tr("Asked before the test"), about)
        self._done_with = done
        self.questions: list[EntryBlock] = []
        self.another = button(tr("Another question"), self.add, role="link")
        self.foot.insertWidget(1, self.another)
        self.blocks.addStretch(1)
        for one in asked:
            self.add(one)
        if not asked:
            self.add()
        self.questions[0].words.setFocus()

    def add(self, asked: EntryQuestion | bool | None = None) -> None:
        block = EntryBlock(asked if isinstance(asked, EntryQuestion) else None)
        self.blocks.insertWidget(self.blocks.count() - 1, block)
        self.questions.append(block)
        self.another.setVisible(len(self.questions) < MOST_QUESTIONS)
        block.words.setFocus()

    def _keep(self) -> None:
        asked = tuple(one for block in self.questions if (one := block.asked()) is not None)
        if self._done(wrong_with_entry(asked)):
            self._done_with(asked)


class ContentDialog(_Asking):
    """texts: (version, title, words) of the passages. done: called with their questions when they are kept; a text
    may have none yet, but none is half written."""

    def __init__(
        self, parent: QWidget, texts: Sequence[tuple[int, str, str]], asked: Sequence[ContentQuestion],
        done: Callable[[tuple[ContentQuestion, ...]], None],
    ) -> None:  # fmt: skip
        about = tr("Ask what only somebody knows who took in what was said. Each listener hears a passage once, in one "
                   "voice, and answers from memory.") if texts else tr("Tick the passages first.")  # fmt: skip
        super().__init__(parent, tr("Questions on content"), about)
        self._done_with = done
        known = {one.version_id: one for one in asked}
        self.fields: dict[int, tuple[QLineEdit, QLineEdit, QPlainTextEdit]] = {}
        for version, title, words in texts:
            block = QWidget()
            form = QFormLayout(block)
            form.setContentsMargins(0, 0, 0, 0)
            head = label(title, "strong")
            head.setToolTip(words)
            form.addRow(head)
            form.addRow(label(words if len(words) <= _LONGEST else words[:_LONGEST].rstrip() + "…", "small", wrap=True))
            one = known.get(version)
            question, right = QLineEdit(one.words if one else ""), QLineEdit(one.right if one else "")
            wrong = QPlainTextEdit("\n".join(one.wrong) if one else "")
            question.setMaxLength(_LONGEST)
            right.setMaxLength(_LONGEST)
            wrong.setPlaceholderText(tr("one a line"))
            wrong.setTabChangesFocus(True)
            wrong.setFixedHeight(theme.px(66))
            field: QWidget
            for words_, field in ((tr("Question"), question), (tr("Right answer"), right), (tr("Wrong ones"), wrong)):
                form.addRow(words_, field)
                field.setAccessibleName(f"{title}: {words_}")
            self.fields[version] = question, right, wrong
            self.blocks.addWidget(block)
        self.blocks.addStretch(1)
        if self.fields:
            next(iter(self.fields.values()))[0].setFocus()

    def _keep(self) -> None:
        asked, begun = [], []
        for version, (question, right, wrong) in self.fields.items():
            lines = [" ".join(line.split())[:_LONGEST] for line in wrong.toPlainText().split("\n") if line.strip()]
            one = ContentQuestion(version, question.text().strip(), right.text().strip(), tuple(lines))
            asked.append(one)
            if one.words or one.right or one.wrong:
                begun.append(version)
        if self._done(wrong_with_content(asked, begun)):
            self._done_with(tuple(one for one in asked if one.version_id in begun))
