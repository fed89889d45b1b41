"""What is typed in a passage: kept as a draft, as a new version, or cut in parts; and what the passage is called."""

from __future__ import annotations

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QComboBox, QLineEdit, QMenu, QPushButton

from zestpanel.core.domain.mark import DeliveryMark
from zestpanel.core.domain.passage import Passage
from zestpanel.core.store.small_documents import DRAFTS, Draft
from zestpanel.core.texts import tr
from zestpanel.desk.pages.passages.about_text import AboutText
from zestpanel.desk.pages.passages.chips import OBJECT, index_in, whole_of
from zestpanel.desk.pages.passages.passage_marks import PassageMarks
from zestpanel.desk.pages.passages.set_edits import SetEdits


class PassageKeeping(PassageMarks):
    """Under the view of the set, which makes the parts that are named here."""

    edits: SetEdits
    name: QLineEdit
    language: QComboBox
    split: QPushButton
    _rest: QTimer

    def selected(self) -> list[Passage]:
        raise NotImplementedError

    def _changed(self) -> bool:
        raise NotImplementedError

    def _draft(self, passage: Passage) -> tuple[str, tuple[DeliveryMark, ...]] | None:
        draft = DRAFTS.read(self.state.project.documents).get(str(passage.id))
        return (draft.text, draft.delivery_marks()) if draft is not None else None

    def keep_draft(self) -> None:
        """Unfinished typing goes into the project as a draft; it becomes a version when it is kept."""
        self._rest.stop()
        if self._shown is None:
            return
        before = DRAFTS.read(self.state.project.documents)
        drafts = dict(before)
        if not self._changed():
            drafts.pop(str(self._shown.id), None)
        else:
            text, marks = self.text.marked()
            rows = tuple((m.start, m.end, m.kind, m.value) for m in marks)
            drafts[str(self._shown.id)] = Draft(text=text, marks=rows)
        if drafts != before:
            DRAFTS.write(self.state.project.documents, drafts)

    def save_text(self) -> None:
        """Keep the text as a new version of the passage."""
        if self._shown is None:
            return
        texts, passage = self.state.project.texts, self._shown
        text, marks = self.text.marked()
        drafts = dict(DRAFTS.read(self.state.project.documents))
        drafts.pop(str(passage.id), None)
        if self.state.edit(
            tr("text of '{title}'", title=passage.title),
            lambda: texts.edit(passage.id, text, marks) and None,
            lambda: texts.edit(passage.id, passage.text, passage.marks) and None,
        ):
            DRAFTS.write(self.state.project.documents, drafts)
            self._shown = None
            self.refresh()

    def _describe(self, what: str, passage: Passage, **values: object) -> None:
        describe = self.state.project.texts.describe
        before = {name: getattr(passage, name) for name in values}
        self.state.edit(what, lambda: describe(passage.id, **values), lambda: describe(passage.id, **before))
        self._shown = None
        self.refresh()

    def _save_name(self) -> None:
        passage, title = self._shown, self.name.text().strip()
        if passage is not None and title and title != passage.title:
            self._describe(tr("title"), passage, title=title)

    def _save_language(self) -> None:
        passage, tag = self._shown, self.language.currentData()
        if passage is not None and tag != passage.language:
            self._describe(tr("language"), passage, language=tag)

    def open_about(self) -> None:
        if self._shown is not None:
            passage = self._shown
            others = [p for p in self.state.bench.passages if p.id != passage.id]
            keep = lambda values: self._describe(tr("about '{title}'", title=passage.title), passage, **values)  # noqa: E731
            AboutText(self, passage, others, keep).show()

    def _split_menu(self) -> None:
        menu = QMenu(self)
        menu.addAction(tr("At each sentence"), self.split_sentences)
        menu.addAction(tr("At each paragraph"), self.split_paragraphs)
        menu.addAction(tr("At the cursor"), self.split_at_cursor)
        menu.popup(self.split.mapToGlobal(self.split.rect().topLeft()))

    def split_sentences(self) -> None:
        if (passage := self._kept()) is not None:
            self.edits.split_sentences(passage)

    def split_paragraphs(self) -> None:
        if (passage := self._kept()) is not None:
            self.edits.split_paragraphs(passage)

    def split_at_cursor(self) -> None:
        if (passage := self._kept()) is not None:
            whole = whole_of(self.text.page())
            before = whole[: index_in(whole)(self.text.textCursor().position())]
            self.edits.split_at(passage, len(before.replace(OBJECT, "")))

    def _kept(self) -> Passage | None:
        """The shown passage, when what is typed has been kept."""
        if self._shown is not None and self._changed():
            self.state.complain(tr("Keep the text as a new version first, then split it."))
            return None
        return self._shown
