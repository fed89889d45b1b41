"""Step 3, passages: import, split, edit; every edit makes a version, takes stay with the one they read."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QComboBox, QFileDialog, QHBoxLayout, QLineEdit, QMenu, QPlainTextEdit, QVBoxLayout, QWidget

from zestpanel.core.catalogue.candidate import locale_name
from zestpanel.core.errors import ZestError
from zestpanel.core.passages.difficulty import KINDS, find_difficulties
from zestpanel.core.passages.passage import Passage, words_with_places
from zestpanel.core.passages.readers.reading import READABLE, read_script
from zestpanel.core.passages.readers.script import Script
from zestpanel.core.passages.splitting import split_paragraphs, split_sentences
from zestpanel.desk.pages.importing import ImportDialog, leaves_a_choice
from zestpanel.desk.pages.page import Page
from zestpanel.desk.state import DeskState
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.widgets import EmptyState, Table, button, label


class PassagesPage(Page):
    title = "Passages"
    about = "The texts everybody reads. A comma is a parameter: each edit is a version, and its takes stay with it."
    scrolls = False

    def __init__(self, state: DeskState) -> None:
        super().__init__(state)
        self.head.addWidget(
            button(
                "Import script …",
                self.ask_for_files,
                tip="Text, documents, PDF, pages, books, subtitles, tables; or drop files here",
            )
        )
        self.head.addWidget(button("Write one", self.write_one))
        across = QHBoxLayout()
        across.setSpacing(20)
        self.table = Table()
        self.table.setAccessibleName("Passages")
        self.table.itemSelectionChanged.connect(self._chosen)
        left = QVBoxLayout()
        left.setContentsMargins(0, 0, 0, 0)
        left.addWidget(self.table, 1)
        self.coverage = label("", "small", wrap=True)
        left.addWidget(self.coverage)
        across.addLayout(left, 1)
        right = QVBoxLayout()
        row = QHBoxLayout()
        self.name = QLineEdit()
        self.name.setAccessibleName("Title of the passage")
        self.name.editingFinished.connect(self._save_name)
        self.language = QComboBox()
        self.language.setAccessibleName("Language of the passage")
        self.language.activated.connect(self._save_language)
        row.addWidget(self.name, 1)
        row.addWidget(self.language)
        right.addLayout(row)
        self.text = QPlainTextEdit()
        self.text.setProperty("role", "reading")
        self.text.setAccessibleName("Text of the passage")
        self.text.setTabChangesFocus(True)
        self.text.setAcceptDrops(False)  # files dropped here are imported, not pasted as their names
        self.text.textChanged.connect(self._count)
        right.addWidget(self.text, 1)
        self._counts = label("", "quiet")
        right.addWidget(self._counts)
        self.hard = label("", "small", wrap=True)
        right.addWidget(self.hard)
        keep = QHBoxLayout()
        self.correct = button(
            "Hard parts …", self._correct_menu, tip="Found by rule; say what is there and what is not"
        )
        self.keep = button("Keep as new version", self.save_text, role="main")
        self.split = button("Split at sentences", self.split_sentences)
        self.remove = button("Remove", self.remove_chosen, tip="Undo brings it back")
        keep.addWidget(self.split)
        keep.addWidget(self.remove)
        keep.addWidget(self.correct)
        keep.addStretch(1)
        keep.addWidget(self.keep)
        right.addLayout(keep)
        holder = QWidget()
        holder.setLayout(right)
        right.setContentsMargins(0, 0, 0, 0)
        across.addWidget(holder, 1)
        self.body.addLayout(across, 1)
        self._shown: Passage | None = None
        # typing is kept after a moment's rest, so that nothing is lost when the program ends
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(2_000)
        self._rest.timeout.connect(self.keep_draft)

    def refresh(self) -> None:
        passages = self.state.bench.passages
        if not passages:
            self.set_empty(
                EmptyState(
                    "No passage yet. Bring in a script of the channel's own, as text, document, PDF, web page, "
                    "e-book, subtitles or table: it is split at its paragraphs. Or drop the file on this window.",
                    "Import script …",
                    self.ask_for_files,
                )
            )
            self._shown = None
            return
        self.set_empty(None)
        takes = {
            p.id: sum(self.state.bench.cell(c.id, p.id).takes for c in self.state.bench.candidates) for p in passages
        }
        self.table.blockSignals(True)
        self.table.show_rows(
            ["", "Passage and its hard parts", "Language", "Char.", "Takes"],
            [
                [
                    f"{i:02d}",
                    f"{p.title}\n{', '.join(self.state.project.hard_parts.kinds(p)) or 'none found'}",
                    p.language,
                    f"{p.characters:,}",
                    str(takes[p.id]),
                ]
                for i, p in enumerate(passages, 1)
            ],
            numbers=[3, 4],
        )
        self.table.setColumnWidth(1, min(self.table.columnWidth(1), theme.px(196)))
        self.table.blockSignals(False)
        covered, lacking = self.state.project.hard_parts.coverage(passages)
        self.coverage.setText(
            f"The set covers {len(covered)} of {len(KINDS)} kinds of hard parts. "
            f"Lacking: {', '.join(lacking) or 'none'}."
        )
        at = next((i for i, p in enumerate(passages) if p.id == self.state.passage_id), 0)
        self.table.selectRow(at)
        self._chosen()

    def _chosen(self) -> None:
        rows = {index.row() for index in self.table.selectedIndexes()}
        if not rows:
            return
        passage = self.state.bench.passages[min(rows)]
        self.keep_draft()
        if self._shown is not None and passage == self._shown:
            return
        self._shown = passage
        self.name.setText(passage.title)
        tags = list(
            dict.fromkeys([*self.state.project.brief.languages, *(p.language for p in self.state.bench.passages)])
        )
        self.language.clear()
        for tag in tags:
            self.language.addItem(locale_name(tag), tag)
        self.language.setCurrentIndex(max(0, self.language.findData(passage.language)))
        self.text.blockSignals(True)
        draft = (self.state.project.documents.get("drafts") or {}).get(str(passage.id))
        self.text.setPlainText(draft or passage.text)
        self.text.blockSignals(False)
        self._count()
        self._rest.stop()
        if self.state.passage_id != passage.id and self.state.bench.candidates:
            self.state.select(self.state.candidate_id or self.state.bench.candidates[0].id, passage.id)

    def _count(self) -> None:
        text = self.text.toPlainText()
        changed = self._shown is not None and text.strip() != self._shown.text
        minutes = len(text) / 1000
        self._counts.setText(
            (f"version {self._shown.number} · " if self._shown else "")
            + f"{len(text):,} characters · {len(words_with_places(text)):,} words · about {minutes * 60:.0f} s "
            "(1,000 characters a minute assumed)" + (" · not kept yet" if changed else "")
        )
        self._show_hard(text)
        self.keep.setEnabled(changed)
        if changed:
            self._rest.start()

    def _show_hard(self, text: str) -> None:
        """What the rules find in the text as typed, each kind with its words; notes on readings behind them."""
        language = self._shown.language if self._shown else "en"
        found: dict[str, list[str]] = {}
        for part in find_difficulties(text, language):
            shown = part.words if len(part.words) <= 28 else part.words[:26] + "…"
            found.setdefault(part.kind, []).append(f"{shown} ({part.note})" if part.note else shown)
        lines = [f"{kind}: {', '.join(dict.fromkeys(words))}" for kind, words in found.items()]
        self.hard.setText(" · ".join(lines)[:420] or "No hard part found by rule.")

    def _correct_menu(self) -> None:
        passage = self._shown
        if passage is None:
            return
        menu = QMenu(self)
        present = self.state.project.hard_parts.kinds(passage)
        for kind, about in KINDS.items():
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
                f"hard parts of '{passage.title}'",
                lambda: hard_parts.correct(passage, kind, present),
                lambda: hard_parts.correct(passage, kind, not present),
            )
            self.refresh()

    def keep_draft(self) -> None:
        """Unfinished typing goes into the project as a draft; it becomes a version when it is kept."""
        self._rest.stop()
        if self._shown is None:
            return
        drafts = self.state.project.documents.get("drafts") or {}
        text = self.text.toPlainText()
        before = dict(drafts)
        if text.strip() == self._shown.text:
            drafts.pop(str(self._shown.id), None)
        else:
            drafts[str(self._shown.id)] = text
        if drafts != before:
            self.state.project.documents.put("drafts", drafts)

    def save_text(self) -> None:
        """Keep the text as a new version of the passage."""
        if self._shown is None:
            return
        texts, passage, new = self.state.project.texts, self._shown, self.text.toPlainText()
        drafts = self.state.project.documents.get("drafts") or {}
        drafts.pop(str(passage.id), None)

        def edit(text: str) -> None:
            texts.edit(passage.id, text)

        if self.state.edit(f"text of '{passage.title}'", lambda: edit(new), lambda: edit(passage.text)):
            self.state.project.documents.put("drafts", drafts)
            self._shown = None
            self.refresh()

    def _save_name(self) -> None:
        passage, title = self._shown, self.name.text().strip()
        if passage is not None and title and title != passage.title:
            describe = self.state.project.texts.describe
            self.state.edit(
                "title", lambda: describe(passage.id, title=title), lambda: describe(passage.id, title=passage.title)
            )
            self.refresh()

    def _save_language(self) -> None:
        passage, tag = self._shown, self.language.currentData()
        if passage is not None and tag != passage.language:
            describe = self.state.project.texts.describe
            self.state.edit(
                "language",
                lambda: describe(passage.id, language=tag),
                lambda: describe(passage.id, language=passage.language),
            )
            self.refresh()

    def ask_for_files(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(
            self, "Import scripts", "", f"Scripts ({' '.join(f'*{suffix}' for suffix in READABLE)})"
        )
        self.import_files([Path(name) for name in names])

    def import_files(self, paths: list[Path]) -> None:
        """Read scripts off the interface thread; each becomes passages, after a question where it leaves a choice."""
        language = self.state.project.brief.languages[0] if self.state.project.brief.languages else "en-GB"

        def work() -> list[tuple[Path, Script | ZestError]]:
            found: list[tuple[Path, Script | ZestError]] = []
            for path in paths:
                try:
                    found.append((path, read_script(path)))
                except ZestError as error:
                    found.append((path, error))
            return found

        def arrived(found: list[tuple[Path, Script | ZestError]]) -> None:
            for path, script in found:
                if isinstance(script, ZestError):
                    self.state.complain(script)
                else:
                    self._take_script(path, script, language)

        self.state.background.run(work, arrived, self.state.complain)

    def _take_script(self, path: Path, script: Script, language: str) -> None:
        def take(texts: list[str], titles: tuple[str, ...], spoken: str) -> None:
            if self._add(texts, spoken, f"import of {path.name}", titles):
                count = f"{len(texts)} passage{'s' if len(texts) != 1 else ''}"
                self.state.say(f"{path.name} ({script.how}): {count}, read as {locale_name(spoken)}.")

        if leaves_a_choice(script):
            ImportDialog(self, path, script, language, take).show()
        else:
            take(split_paragraphs(script.text()), (), script.language or language)

    def _add(self, parts: list[str], language: str, what: str, titles: tuple[str, ...] = ()) -> bool:
        texts, made = self.state.project.texts, list[Passage]()

        def do() -> None:
            if made:
                texts.set_removed([p.id for p in made], False)
            else:
                made.extend(texts.add(parts, language=language, titles=titles))

        worked = self.state.edit(what, do, lambda: texts.set_removed([p.id for p in made], True))
        if worked and made:
            self.state.passage_id = made[0].id
            self._shown = None
            self.refresh()
        return worked

    def write_one(self) -> None:
        language = self.state.project.brief.languages[0] if self.state.project.brief.languages else "en-GB"
        if self._add(["A new passage."], language, "new passage"):
            self.text.setFocus(Qt.FocusReason.OtherFocusReason)
            self.text.selectAll()

    def split_sentences(self) -> None:
        """Replace the passage by one passage a sentence, at the same place."""
        passage = self._shown
        if passage is None:
            return
        parts = split_sentences(passage.text)
        if len(parts) < 2:
            self.state.say("This passage is one sentence: there is nothing to split.")
            return
        texts, made = self.state.project.texts, list[Passage]()
        order = [p.id for p in self.state.bench.passages]
        at = order.index(passage.id)

        def do() -> None:
            if made:
                texts.set_removed([p.id for p in made], False)
            else:
                made.extend(texts.add(parts, language=passage.language))
            texts.set_removed([passage.id], True)
            texts.reorder([*order[:at], *(p.id for p in made), *order[at:]])

        def undo() -> None:
            texts.set_removed([p.id for p in made], True)
            texts.set_removed([passage.id], False)

        if self.state.edit(f"split of '{passage.title}'", do, undo):
            self.state.passage_id = made[0].id
            self._shown = None
            self.refresh()

    def remove_chosen(self) -> None:
        rows = sorted({index.row() for index in self.table.selectedIndexes()})
        ids = [self.state.bench.passages[row].id for row in rows]
        texts = self.state.project.texts
        if ids:
            self.state.edit(
                "removing passages", lambda: texts.set_removed(ids, True), lambda: texts.set_removed(ids, False)
            )
            self._shown = None
            self.refresh()
