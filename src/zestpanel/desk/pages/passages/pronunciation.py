"""The pronunciation list: words as they are to be said, where they hit, and words that no dictionary has."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QFileDialog, QFormLayout, QHBoxLayout, QLineEdit, QMenu, QVBoxLayout, QWidget

from zestpanel.core.errors import ZestError
from zestpanel.core.languages import locale_name
from zestpanel.core.text.lexicon.ipa import sounds_of
from zestpanel.core.text.lexicon.lexicon import Entry, entries_for, hits
from zestpanel.core.text.lexicon.pls import from_pls, to_pls
from zestpanel.core.text.lexicon.unknown_words import unknown_words
from zestpanel.core.text_files import read_text, write_text
from zestpanel.core.texts import tr, trn
from zestpanel.desk.flow import flow_row
from zestpanel.desk.pages.passages.ipa_chart import IpaChart
from zestpanel.desk.pages.passages.saying import say_word
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table
from zestpanel.desk.widgets import button, label


class PronunciationView(QWidget):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.state = state
        across = QHBoxLayout(self)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(20)
        left = QVBoxLayout()
        left.setSpacing(8)
        self.head = label("", "strong", wrap=True)
        left.addWidget(self.head)
        self.table = Table()
        self.table.setAccessibleName(tr("Pronunciation list"))
        self.table.itemSelectionChanged.connect(self._show_entry)
        left.addWidget(self.table, 1)
        form = QFormLayout()
        form.setVerticalSpacing(8)
        form.setLabelAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        self.word, self.ipa, self.respelling = QLineEdit(), QLineEdit(), QLineEdit()
        self.ipa.setPlaceholderText(tr("sounds in IPA, for engines that take them"))
        self.respelling.setPlaceholderText(tr("other letters, for engines that take no sounds"))
        self.chart = button(tr("Chart …"), self.open_chart, tip=tr("The sounds of the IPA, to click"))
        self.ask = button(tr("As guessed"), self.guess, tip=tr("How the built-in voice would say the word now"))
        row = QHBoxLayout()
        row.setSpacing(8)
        row.addWidget(self.ipa, 1)
        row.addWidget(self.ask)
        row.addWidget(self.chart)
        where = QHBoxLayout()
        where.setSpacing(8)
        self.language, self.engine = QComboBox(), QComboBox()
        self.language.setAccessibleName(tr("Language"))
        self.engine.setAccessibleName(tr("Engine"))
        where.addWidget(self.language, 1)
        where.addWidget(self.engine, 1)
        form.addRow(tr("Word"), self.word)
        form.addRow(tr("Sounds"), row)
        form.addRow(tr("Respelling"), self.respelling)
        form.addRow(tr("For"), where)
        left.addLayout(form)
        self.hear_button = button(
            tr("Hear it"), self.hear, tip=tr("By the built-in voice: plain, but it says the sounds as written")
        )
        self.keep = button(tr("Keep entry"), self.keep_entry, role="main")
        self.remove = button(tr("Remove"), self.remove_chosen)
        left.addWidget(flow_row(self.hear_button, self.remove, right=(self.keep,)))
        across.addLayout(left, 3)
        right = QVBoxLayout()
        right.setSpacing(8)
        self.unknown_head = label("", "strong", wrap=True)
        right.addWidget(self.unknown_head)
        self.unknown = Table()
        self.unknown.setAccessibleName(tr("Words that no dictionary has"))
        self.unknown.itemSelectionChanged.connect(self._take_word)
        right.addWidget(self.unknown, 1)
        self.files = button(
            tr("List …"), self._files_menu, tip=tr("In and out as PLS, the W3C's form for pronunciation lists")
        )
        right.addWidget(flow_row(right=(self.files,)))
        across.addLayout(right, 2)
        for edit in (self.word, self.ipa, self.respelling):
            edit.textChanged.connect(lambda _: self._ready())
            edit.returnPressed.connect(self.keep_entry)
        self._entries: list[Entry] = []
        self._unknown: list[tuple[str, int, str]] = []
        self._ready()

    # -- shown

    def refresh(self) -> None:
        project, bench = self.state.project, self.state.bench
        self._entries = list(project.pronunciations.all())
        rows, tips = [], dict[tuple[int, int], str]()
        for i, entry in enumerate(self._entries):
            where = self._hits(entry)
            rows.append(
                [
                    entry.word,
                    f"/{entry.ipa}/" if entry.ipa else "–",
                    entry.respelling or "–",
                    entry.language + (tr("\nonly {engine}", engine=entry.engine) if entry.engine else ""),
                    str(sum(where.values())),
                ]
            )
            tips[(i, 4)] = ", ".join(f"{title} {n}" for title, n in where.items())
        self.table.blockSignals(True)
        self.table.show_rows(
            [tr("Word"), tr("Sounds"), tr("Respelling"), tr("For"), tr("Hits")], rows, numbers=[4], tips=tips
        )
        self.table.blockSignals(False)
        places = sum(int(row[4]) for row in rows)
        self.head.setText(
            tr("{rows} words, said {places} times in the passages", rows=len(rows), places=places)
            if rows
            else tr("No word yet. Names and jargon come out right when their sounds are given once, for all engines.")
        )
        tags = list(dict.fromkeys([*project.brief.languages, *(p.language for p in bench.passages)]))
        self._fill(
            self.language,
            [(locale_name(t), t) for t in tags]
            + [
                (tr("all {locale_name}", locale_name=locale_name(p)), p)
                for p in dict.fromkeys(t.split("-")[0] for t in tags)
            ],
        )
        self._fill(
            self.engine,
            [(tr("for all engines"), ""), *((tr("only {name}", name=name), name) for name in bench.engines)],
        )
        self._look_for_unknown()
        self._ready()

    def _fill(self, box: QComboBox, items: list[tuple[str, str]]) -> None:
        kept = box.currentData()
        box.clear()
        for words, value in items:
            box.addItem(words, value)
        box.setCurrentIndex(max(0, box.findData(kept)))

    def _hits(self, entry: Entry) -> dict[str, int]:
        """Times an entry is applied, by title of the passage."""
        out: dict[str, int] = {}
        for p in self.state.bench.passages:
            there = entries_for(self._entries, p.language, entry.engine)
            count = sum(hit.entry.id == entry.id for hit in hits(p.text, there))
            if count:
                out[p.title] = count
        return out

    def _look_for_unknown(self) -> None:
        passages, entries = list(self.state.bench.passages), list(self._entries)
        scripts = self.state.project.scripts

        def work() -> list[tuple[str, int, str]]:
            found: list[tuple[str, int, str]] = []
            whole = scripts.by_language()
            for language in dict.fromkeys(p.language for p in passages):
                texts = [p.text for p in passages if p.language == language]
                known = [e.word for e in entries_for(entries, language, "")]
                script = whole.get(language.split("-")[0].lower())
                rows = unknown_words([*texts, *([script[:300_000]] if script else [])], language, known=known)
                found += [(word, count, language) for word, count in rows]
            return sorted(found, key=lambda row: (-row[1], row[0].lower()))[:300]

        def arrived(found: list[tuple[str, int, str]]) -> None:
            self._unknown = found
            self.unknown.blockSignals(True)
            self.unknown.show_rows(
                [tr("Word"), tr("Times"), tr("Language")], [[w, f"{n:,}", t] for w, n, t in found], numbers=[1]
            )
            self.unknown.blockSignals(False)
            self.unknown_head.setText(
                trn(
                    "{found} word in no dictionary, in passages and scripts",
                    "{found} words in no dictionary, in passages and scripts",
                    len(found),
                    found=len(found),
                )
                if found
                else tr("All words are in the dictionaries.")
            )

        self.unknown_head.setText(tr("Looking words up …"))
        self.state.background.run(work, arrived, self.state.complain, topic="unknown words")

    def _take_word(self) -> None:
        rows = {index.row() for index in self.unknown.selectedIndexes()}
        if rows and min(rows) < len(self._unknown):
            word, _, language = self._unknown[min(rows)]
            self.table.clearSelection()
            self.word.setText(word)
            self.respelling.clear()
            self.language.setCurrentIndex(max(0, self.language.findData(language)))
            self.guess()

    def _show_entry(self) -> None:
        rows = {index.row() for index in self.table.selectedIndexes()}
        if rows and min(rows) < len(self._entries):
            entry = self._entries[min(rows)]
            self.word.setText(entry.word)
            self.ipa.setText(entry.ipa)
            self.respelling.setText(entry.respelling)
            if self.language.findData(entry.language) < 0:
                self.language.addItem(entry.language, entry.language)
            self.language.setCurrentIndex(self.language.findData(entry.language))
            self.engine.setCurrentIndex(max(0, self.engine.findData(entry.engine)))
        self._ready()

    def _ready(self) -> None:
        there = bool(self.word.text().strip())
        self.keep.setEnabled(there and bool(self.ipa.text().strip() or self.respelling.text().strip()))
        self.hear_button.setEnabled(there)
        self.ask.setEnabled(there)
        self.remove.setEnabled(bool(self.table.selectedIndexes()))

    # -- done

    def typed(self) -> Entry:
        return Entry(
            word=self.word.text(),
            language=str(self.language.currentData() or "en-GB"),
            ipa=self.ipa.text(),
            respelling=self.respelling.text(),
            engine=str(self.engine.currentData() or ""),
        )

    def keep_entry(self) -> None:
        if self.keep.isEnabled():
            self.put([self.typed()], tr("how '{word}' is said", word=self.word.text().strip()))

    def put(self, entries: list[Entry], what: str) -> None:
        """Add entries, with undo."""
        pronunciations = self.state.project.pronunciations
        done: list[tuple[list[int], list[int]]] = []

        def do() -> None:
            if done:
                pronunciations.swap(done[0][0], done[0][1])
            else:
                done.append(pronunciations.put(entries))

        if self.state.edit(what, do, lambda: pronunciations.swap(done[0][1], done[0][0])):
            self.refresh()
            words = {" ".join(e.word.split()) for e in entries}
            at = next((i for i, e in enumerate(self._entries) if e.word in words), None)
            if at is not None:
                self.table.selectRow(at)

    def remove_chosen(self) -> None:
        ids = [self._entries[i].id for i in sorted({index.row() for index in self.table.selectedIndexes()})]
        pronunciations = self.state.project.pronunciations
        if ids:
            self.state.edit(tr("removing words from the list"), lambda: pronunciations.set_removed(ids, True),
                            lambda: pronunciations.set_removed(ids, False))  # fmt: skip
            self.refresh()

    def guess(self) -> None:
        """Put in how the built-in voice would say the word, to be corrected from there."""
        word, language = self.word.text().strip(), str(self.language.currentData() or "en")
        if word:
            try:
                self.ipa.setText(sounds_of(word, language))
            except ZestError as error:
                self.state.complain(error)

    def hear(self) -> None:
        """Say the sounds, or the respelling, or the word, by the built-in voice."""
        entry = self.typed()
        say_word(self.state, entry.language, ipa=entry.ipa, words=entry.respelling or entry.word)

    def open_chart(self) -> None:
        chart = IpaChart(self)
        chart.picked.connect(self.ipa.insert)
        chart.show()

    # -- PLS

    def _files_menu(self) -> None:
        menu = QMenu(self)
        menu.addAction(tr("Take in a list (PLS) …"), self._ask_to_read)
        menu.addAction(tr("Write the list (PLS) …"), self._ask_to_write)
        menu.popup(self.files.mapToGlobal(self.files.rect().bottomLeft()))

    def _ask_to_read(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, tr("Take in a pronunciation list"), "", tr("PLS (*.pls *.xml)"))
        if name:
            self.read_file(Path(name))

    def read_file(self, path: Path) -> None:
        try:
            entries = from_pls(read_text(path, most_mb=20, kept=tr("The list is as it was.")), path.name)
        except ZestError as error:
            self.state.complain(error)
            return
        self.put(
            entries, trn("{n} word from {name}", "{n} words from {name}", len(entries), n=len(entries), name=path.name)
        )
        self.state.say(
            trn(
                "{name}: {entries} word.",
                "{name}: {entries} words.",
                len(entries),
                name=path.name,
                entries=len(entries),
            )
        )

    def _ask_to_write(self) -> None:
        language = str(self.language.currentData() or "en-GB")
        name, _ = QFileDialog.getSaveFileName(
            self, tr("Write the list"), f"pronunciation {language}.pls", tr("PLS (*.pls)")
        )
        if name:
            self.write_file(Path(name), language)

    def write_file(self, path: Path, language: str) -> None:
        try:
            write_text(path, to_pls(self._entries, language), kept=tr("The list is as it was."))
        except ZestError as error:
            self.state.complain(error)
            return
        count = sum(e.language.lower() == language.lower() and not e.engine for e in self._entries)
        left = len(self._entries) - count
        rest = tr(" {left} for other languages or single engines are not in it.", left=left) if left else ""
        self.state.say(tr("Written: {name}, {count} words.{rest}", name=path.name, count=count, rest=rest))
