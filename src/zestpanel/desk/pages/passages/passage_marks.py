"""Marks of the passage that is shown: set, changed, said what they mean, written as SSML; and what is hard in it."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QFileDialog, QMenu, QPushButton, QWidget

from zestpanel.core.domain.mark import KINDS, DeliveryMark
from zestpanel.core.domain.passage import Passage
from zestpanel.core.errors import InputError
from zestpanel.core.text.difficulty import KINDS as HARD_KINDS
from zestpanel.core.text.marks.duration import expected_s
from zestpanel.core.text.marks.ssml import from_ssml, to_ssml
from zestpanel.core.text_files import write_text
from zestpanel.core.texts import tr
from zestpanel.desk.pages.passages.mark_popup import MarkPopup
from zestpanel.desk.pages.passages.marks_editor import MarksEditor
from zestpanel.desk.pages.passages.recipes import RecipesDialog
from zestpanel.desk.pages.passages.saying import say_word
from zestpanel.desk.state import DeskState


class PassageMarks(QWidget):
    """Under the view of the set, which makes the parts that are named here."""

    state: DeskState
    text: MarksEditor
    more: QPushButton
    correct: QPushButton
    _shown: Passage | None
    _popup: MarkPopup | None

    def refresh(self) -> None:
        raise NotImplementedError

    def as_typed(self) -> Passage | None:
        raise NotImplementedError

    def _typed(self) -> None:
        raise NotImplementedError

    def _count(self) -> None:
        raise NotImplementedError

    def add_mark(self, kind: str) -> None:
        self.text.add_mark(kind)
        self.text.setFocus(Qt.FocusReason.OtherFocusReason)

    def _mark_menu(self) -> None:
        menu = QMenu(self)
        for kind in KINDS.values():
            act = QAction(
                f"{kind.name[0].upper()}{kind.name[1:]}\tCtrl+Shift+{kind.key}",
                menu,
            )
            act.setToolTip(kind.hint)
            act.triggered.connect(partial(self.add_mark, kind.name))
            menu.addAction(act)
        menu.setToolTipsVisible(True)
        menu.addSeparator()
        menu.addAction(tr("Write as SSML …"), self.ask_to_write_ssml)
        menu.popup(self.more.mapToGlobal(self.more.rect().bottomLeft()))

    def _open_popup(self, number: int, place: QPoint) -> None:
        chip = self.text.mark_numbered(number)
        if chip is None:
            return

        def keep(value: str) -> None:
            self.text.set_value(number, value)

        def hear(value: str) -> None:
            say_word(self.state, self._shown.language if self._shown else "en", ipa=value)

        self._popup = MarkPopup(
            self,
            chip.kind,
            chip.value,
            keep=keep,
            remove=lambda: self.text.remove_mark(number),
            about=lambda value: self._meaning(number, value),
            hear=hear if chip.kind == "phoneme" else None,
        )
        self._popup.show_at(place)

    def _meaning(self, number: int, value: str) -> str:
        """What a value makes of the duration, or how long a named pause is with each engine."""
        chip, passage = self.text.mark_numbered(number), self.as_typed()
        if chip is None or passage is None:
            return ""
        if chip.kind == "rate":
            plain = [m for m in passage.marks if m.kind != "rate"]
            now, normal = (expected_s(passage.text, m) for m in (self._with_value(passage, chip.value, value), plain))
            return tr(
                "{value} of normal speed: about {now} s for the passage instead of {normal} s.",
                value=value,
                now=f"{now:.1f}",
                normal=f"{normal:.1f}",
            )
        if chip.kind == "pause" and not value[:1].isdigit():
            engines = self.state.bench.engines.values()
            known = [
                tr("{pause_ms} ms with {engine}", pause_ms=f"{e.writes.pause_ms[value]:g}", engine=e.engine)
                for e in engines
                if value in e.writes.pause_ms
            ]
            return (
                f"{value}: {', '.join(known)}."
                if known
                else tr("How long '{value}' is, no engine here states.", value=value)
            )
        return ""

    def _with_value(self, passage: Passage, old: str, new: str) -> list[DeliveryMark]:
        out, done = [], False
        for m in passage.marks:
            if not done and m.kind == "rate" and m.value == old:
                m, done = replace(m, value=new), True
            out.append(m)
        return out

    def turn_tags_into_marks(self) -> None:
        """Typed tags become marks; what is no valid SSML stays as it is and is explained."""
        passage = self.as_typed()
        if passage is None:
            return
        source = f"<speak>{passage.text}</speak>"
        try:
            read = from_ssml(source, f"'{passage.title}'")
        except InputError as error:
            self.state.complain(error)
            return
        self.text.set_marked(read.text, read.marks)
        self._count()
        if read.left_out:
            self.state.say(tr("Without a mark of ours and left out: {left_out}.", left_out=", ".join(read.left_out)))

    def ask_to_write_ssml(self) -> None:
        passage = self.as_typed()
        if passage is None:
            return
        name, _ = QFileDialog.getSaveFileName(self, tr("Write as SSML"), f"{passage.title}.ssml", tr("SSML (*.ssml)"))
        if name:
            self.write_ssml(name)

    def write_ssml(self, name: str) -> None:
        passage = self.as_typed()
        assert passage is not None
        try:
            write_text(
                Path(name), to_ssml(passage.text, passage.marks, passage.language), kept=tr("The passage is as it was.")
            )
        except InputError as error:
            self.state.complain(error)
            return
        lost = {m.kind for m in passage.marks} & {"style", "sound"}
        also = tr(" SSML has no {lost}: left out.", lost=tr(" and no ").join(sorted(lost))) if lost else ""
        self.state.say(tr("Written: {name}.{also}", name=Path(name).name, also=also))

    def open_recipes(self) -> None:
        passage = self.as_typed()
        if passage is not None:
            RecipesDialog(self, self.state, passage, self.apply_marks).show()

    def apply_marks(self, marks: list[DeliveryMark]) -> None:
        """Lay marks over the whole text, in the place of those of their kinds that cover all of it."""
        passage = self.as_typed()
        if passage is None:
            return
        end = len(passage.text)
        kinds = {m.kind for m in marks}
        rest = [m for m in passage.marks if not (m.kind in kinds and (m.start, m.end) == (0, end))]
        self.text.set_marked(passage.text, [*marks, *rest])
        self._typed()
        self._count()

    def _correct_menu(self) -> None:
        passage = self._shown
        if passage is None:
            return
        menu = QMenu(self)
        present = self.state.project.hard_parts.kinds(passage)
        for kind, about in HARD_KINDS.items():
            act = menu.addAction(f"{kind}: {about}" if about else kind)
            assert act is not None
            act.setCheckable(True)
            act.setChecked(kind in present)
            act.toggled.connect(lambda on, kind=kind: self.correct_kind(kind, on))
        menu.popup(self.correct.mapToGlobal(self.correct.rect().topLeft()))

    def correct_kind(self, kind: str, present: bool) -> None:
        """Say that a kind of hard part is in the passage, or is not."""
        passage, hard_parts = self._shown, self.state.project.hard_parts
        if passage is not None:
            self.state.edit(
                tr("hard parts of '{title}'", title=passage.title),
                lambda: hard_parts.correct(passage, kind, present),
                lambda: hard_parts.correct(passage, kind, not present),
            )
            self.refresh()
