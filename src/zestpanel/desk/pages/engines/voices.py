"""The voices of all engines: found by facets and words, heard on one's own line, put on the shortlist."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractItemView, QComboBox, QHBoxLayout, QLineEdit, QTableView, QVBoxLayout, QWidget

from zestpanel.core.catalogue.browsing import (
    COLUMNS,
    VoiceIndex,
    VoiceRow,
    make_rows,
)
from zestpanel.core.catalogue.facts import Engine, Voice
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.errors import ZestError
from zestpanel.core.languages import language_name, locale_name
from zestpanel.core.runs.execute.auditioning import Line, line_for
from zestpanel.core.texts import tr
from zestpanel.desk.agreeing import ask_first
from zestpanel.desk.flow import flow_row
from zestpanel.desk.hearing import hear_line, hear_sample
from zestpanel.desk.impressions import ImpressionsDialog
from zestpanel.desk.pages.engines.facets import FacetPanel
from zestpanel.desk.pages.engines.notes import NoteDialog
from zestpanel.desk.pages.engines.settings_row import SettingsRow
from zestpanel.desk.pages.engines.voice_table import VoiceModel
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import choose_row
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.try_it import TryIt
from zestpanel.desk.viewmodels.audition_lines import lines_for, with_line
from zestpanel.desk.viewmodels.voice_traits import traits_of
from zestpanel.desk.widgets import KeyButton, button, label, yielding

MANY = 3_000  # voices from which the table is put together off the interface thread


class VoicesView(QWidget):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._language_of_line: dict[str, str] = {}
        self.state = state
        self.model = VoiceModel()
        self._sized = False
        self._rows_of: tuple[object, list[Engine]] = (None, [])  # what the rows were made from
        self._shown_of: tuple[VoiceRow | None, object] | None = None  # what the widgets below the table are about
        outer = QHBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(theme.px(14))
        self.facets = FacetPanel()
        outer.addWidget(self.facets)
        body = QVBoxLayout()
        body.setSpacing(8)
        outer.addLayout(body, 1)
        row = QHBoxLayout()
        self.search = QLineEdit()
        self.search.setPlaceholderText(tr("Find by name, accent, character, your own notes …"))
        self.search.setClearButtonEnabled(True)
        self._count = yielding(label("", "quiet"))
        self.reset = button(tr("Show all"), self._show_all, tip=tr("Give up all facets and the search"))
        row.addWidget(self.search, 1)
        row.addWidget(self.reset)
        body.addLayout(row)
        body.addWidget(self._count)
        self.table = self._make_table()
        body.addWidget(self.table, 1)
        self.settings = SettingsRow()
        self.model_choice, self.plan_choice = QComboBox(), QComboBox()
        self.model_choice.setAccessibleName(tr("Model"))
        self.plan_choice.setAccessibleName(tr("Plan"))
        models = (
            label(tr("model"), "quiet"),
            self.model_choice,
            label(tr("plan"), "quiet"),
            self.plan_choice,
            self.settings,
        )
        body.addWidget(flow_row(*models))
        body.addLayout(self._make_lines())
        body.addWidget(self._make_actions())
        self.search.textChanged.connect(self._filter)
        self.facets.changed.connect(self._filter)
        self.model_choice.currentIndexChanged.connect(lambda _: self._show_settings())

    def _make_table(self) -> QTableView:
        table = QTableView()
        table.setModel(self.model)
        table.setSortingEnabled(True)
        table.sortByColumn(COLUMNS.index("Voice"), Qt.SortOrder.AscendingOrder)
        table.setShowGrid(False)
        table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        table.setTabKeyNavigation(False)
        table.setAccessibleName(tr("Voices of all engines"))
        head, side = table.horizontalHeader(), table.verticalHeader()
        assert head is not None
        assert side is not None
        head.setStretchLastSection(True)
        head.setHighlightSections(False)
        head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        side.hide()
        side.setDefaultSectionSize(theme.px(30))
        selection = table.selectionModel()
        assert selection is not None
        selection.currentRowChanged.connect(lambda *_: self._chosen())
        return table

    def _make_lines(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.listen = KeyButton(tr("Hear my line"), "P")
        self.listen.clicked.connect(self.hear)
        self.line = QComboBox()
        self.line.setEditable(True)
        self.line.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.line.setMinimumContentsLength(8)
        self.line.setAccessibleName(tr("The line a voice is heard on"))
        self.line.setToolTip(tr("Your own lines in this language: choose one, or type another"))
        self.keep_line = button(tr("Keep line"), self._keep_line, tip=tr("Add this line to those of the brief"))
        row.addWidget(self.listen)
        self.spoken_in = QComboBox()
        self.spoken_in.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.spoken_in.setMinimumContentsLength(8)
        self.spoken_in.hide()
        self.spoken_in.setAccessibleName(tr("The language the line is in"))
        self.spoken_in.setToolTip(tr("The language the line is in: this voice speaks more than one"))
        self.line.currentTextChanged.connect(self._tell_language)
        row.addWidget(self.line, 1)
        row.addWidget(self.spoken_in)
        row.addWidget(self.keep_line)
        return row

    def _make_actions(self) -> QWidget:
        self.favourite = button(tr("Favourite"), self.mark_favourite, tip=tr("Mark or unmark the selected voices"))
        self.note = button(tr("Note …"), self.write_note, tip=tr("Tags and a few words, found by the search"))
        self.impressions = button(
            tr("Impressions …"), self.show_impressions, tip=tr("What struck you first, and later")
        )
        self.sample = button(
            tr("Vendor's sample"), self.hear_sample, tip=tr("Heard as the vendor's example; never scored")
        )
        self.try_it = button(
            tr("Try it …"), self.show_try, tip=tr("The request as sent, the reply, and what was understood")
        )
        self.add = button(tr("Put on the shortlist"), self.shortlist, role="main")
        return flow_row(self.favourite, self.note, self.impressions, self.sample, right=(self.try_it, self.add))

    # -- shown

    def refresh(self) -> None:
        bench = self.state.bench
        counts: dict[tuple[str, str], int] = {}
        for candidate in bench.candidates:
            key = (candidate.engine, candidate.voice)
            counts[key] = counts.get(key, 0) + 1
        notes = {
            key: (note.favourite, ", ".join((*note.tags, note.words) if note.words else note.tags))
            for key, note in self.state.project.notes.voices().items()
        }
        own = self.state.project.notes.statements()
        traits = [
            traits_of(engine, own.get(name, []), bench.brief, self.state.evaluation)
            for name, engine in bench.engines.items()
        ]
        state = ([t.price_band for t in traits], [t.rights for t in traits], counts, notes)
        engines = [t.engine for t in traits]
        before, held = self._rows_of
        if state == before and len(held) == len(engines) and all(a is b for a, b in zip(held, engines, strict=True)):
            self._chosen()
            return
        self._rows_of = (state, engines)
        if sum(len(t.engine.voices) for t in traits) <= MANY:
            self._show_index(VoiceIndex(make_rows(traits, counts, notes)))
            return
        wanted = replace(self.model.wanted)  # what is asked for meanwhile changes nothing under it

        def work() -> VoiceIndex:
            index = VoiceIndex(make_rows(traits, counts, notes))
            index.find(wanted)  # the order is known then
            return index

        self.state.background.run(work, self._show_index, self.state.complain, topic="voices table")

    def _show_index(self, found: VoiceIndex) -> None:
        before = self.chosen()
        self.model.show(found)
        self._filter(keep=before)
        if self.model.rowCount() and not self._sized:
            self.table.resizeColumnsToContents()
            graded = any(row.voice.grade for row in found.rows)
            self.table.setColumnHidden(COLUMNS.index("Grade"), not graded)
            for column, most in enumerate((30, 44, 96, 86, 138, 122, 146, 88, 66, 50)):
                wide = theme.px(most) if column < 2 else min(self.table.columnWidth(column), theme.px(most))
                self.table.setColumnWidth(column, wide)
            self._sized = True

    def _filter(self, *_: object, keep: VoiceRow | None = None) -> None:
        before = keep or self.chosen()
        self.model.look_for(self.search.text(), self.facets.chosen)
        self.facets.show_facets(self.model.facets())
        self._count.setText(self.model.counted())
        self.reset.setEnabled(bool(self.search.text() or any(self.facets.chosen.values())))
        self._select(before)

    def _show_all(self) -> None:
        self.search.clear()
        self.facets.clear_choice()

    def _select(self, wanted: VoiceRow | None) -> None:
        """Select a voice again after the table was filled anew; the first one where it is not shown."""
        place = self.model.place_of(wanted.engine.engine, wanted.voice.id) if wanted else -1
        if self.model.rowCount():
            choose_row(self.table, max(0, place))
        self._chosen()

    def chosen(self) -> VoiceRow | None:
        return self.model.row(self.table.currentIndex())

    def all_chosen(self) -> list[VoiceRow]:
        """The selected voices, in the order shown."""
        selection = self.table.selectionModel()
        rows = [self.model.row(index) for index in selection.selectedRows()] if selection else []
        return [row for row in rows if row is not None]

    def _chosen(self) -> None:
        found, bench = self.chosen(), self.state.bench
        if self._shown_of is not None and self._shown_of[0] is found and self._shown_of[1] is bench:
            return  # a table that is filled anew chooses its row more than once
        self._shown_of = (found, bench)
        for widget in (self.listen, self.try_it, self.add, self.favourite, self.note,
                       self.impressions):  # fmt: skip
            widget.setEnabled(found is not None)
        self.sample.setVisible(found is not None and bool(found.voice.sample))
        engine = found.engine if found else None
        for box, items in (
            (self.model_choice, [(m.label, m.id) for m in engine.models if not found.voice.models
                                 or m.id in found.voice.models] if engine and found else []),
            (self.plan_choice, [(p.name, p.name) for p in engine.plans] if engine else []),
        ):  # fmt: skip
            self._fill(box, items)
        self._fill_lines(found.voice if found else None)
        self._show_settings()

    @staticmethod
    def _fill(box: QComboBox, items: list[tuple[str, str]]) -> None:
        if [box.itemData(i) for i in range(box.count())] == [data for _, data in items]:
            return
        box.blockSignals(True)
        box.clear()
        for text, data in items:
            box.addItem(text, data)
        box.blockSignals(False)
        box.setEnabled(len(items) > 1)

    def _show_settings(self) -> None:
        found = self.chosen()
        self.settings.show_controls(found.engine if found else None, found.voice if found else None, self._model_id())

    def _model_id(self) -> str:
        return str(self.model_choice.currentData() or "")

    def _fill_lines(self, voice: Voice | None) -> None:
        bench = self.state.bench
        lines = lines_for(bench.brief, bench.passages, voice) if voice else {}
        self._language_of_line = lines
        tags = list(voice.languages) if voice else []
        self.spoken_in.setVisible(len(tags) > 1)
        if [self.spoken_in.itemData(i) for i in range(self.spoken_in.count())] != tags:
            self.spoken_in.clear()
            accents = len({language_name(tag) for tag in tags}) < len(tags)
            for tag in tags:
                self.spoken_in.addItem(locale_name(tag) if accents else language_name(tag), tag)
        if [self.line.itemText(i) for i in range(self.line.count())] != list(lines):
            self.line.clear()
            self.line.addItems(list(lines))
        self._tell_language(self.line.currentText())

    def _tell_language(self, line: str) -> None:
        """A line of the brief or of a passage says what language it is in; one that is typed is in the one chosen."""
        if (tag := self._language_of_line.get(line.strip())) is not None:
            self.spoken_in.setCurrentIndex(self.spoken_in.findData(tag))

    def _language(self, voice: Voice) -> str:
        return str(self.spoken_in.currentData() or voice.languages[0])

    # -- done

    def asked_line(self) -> Line | None:
        """The line as it would be asked for, None (and said why) where it cannot be."""
        found = self.chosen()
        if found is None:
            return None
        text = self.line.currentText().strip()
        if not text:
            self.state.complain(
                tr("There is no line to hear {label} on. Type one here, or in the brief.", label=found.voice.label)
            )
            return None
        try:
            return line_for(
                self.state.project.sending, self.state.project.own_voices, found.engine, text, voice=found.voice.id,
                model=self._model_id() or found.engine.models[0].id, plan=self.plan_choice.currentData() or "",
                settings=self.settings.values(), language=self._language(found.voice),
            )  # fmt: skip
        except ZestError as error:
            self.state.complain(error)
            return None

    def hear(self) -> None:
        """Speak the line in the chosen voice and play it, at the tray's loudness."""
        line = self.asked_line()
        if line is not None:
            ask_first(self, [line.engine], lambda: self._hear(line))

    def _hear(self, line: Line) -> None:
        self.listen.set_text(tr("Asking …"))
        self.listen.setEnabled(False)
        hear_line(self.state, line, self._ready_again)

    def _ready_again(self) -> None:
        self.listen.set_text(tr("Hear my line"))
        self.listen.setEnabled(self.chosen() is not None)

    def hear_sample(self) -> None:
        """Play the vendor's own example, said to be one."""
        found = self.chosen()
        if found is None or not found.voice.sample:
            return
        engine, voice = found.engine, found.voice
        ask_first(self, [engine], lambda: hear_sample(self.state, engine, voice))

    def show_try(self) -> None:
        line = self.asked_line()
        if line is not None:
            TryIt(self, self.state, line).show()

    def mark_favourite(self) -> None:
        rows = self.all_chosen()
        keys = [(row.engine.engine, row.voice.id) for row in rows]
        on = not all(row.favourite for row in rows)
        notes = self.state.project.notes
        before = {key: notes.voices().get(key) for key in keys}

        def undo() -> None:
            for key, note in before.items():
                notes.set_favourite([key], note.favourite if note else False)

        if keys and self.state.edit(tr("favourites"), lambda: notes.set_favourite(keys, on), undo):
            self.refresh()

    def write_note(self) -> None:
        found = self.chosen()
        if found is not None:
            NoteDialog(self, self.state, found.engine.engine, found.voice, self.refresh).show()

    def show_impressions(self) -> None:
        found = self.chosen()
        if found is not None:
            ImpressionsDialog(self, self.state, found.engine.engine, found.voice.id, found.voice.label).show()

    def _keep_line(self) -> None:
        found, text = self.chosen(), " ".join(self.line.currentText().split())
        if found is None or not text:
            return
        project = self.state.project
        brief = with_line(project.brief, self._language(found.voice), text)
        if brief is None:
            self.state.say(tr("This line is kept already."))
            return
        project.set_brief(brief, label=tr("a line to hear voices on"))
        self.state.refresh()
        self.state.say(tr("The line is kept with the brief."))

    def shortlist(self) -> None:
        """Put the selected voices with the settings shown on the shortlist (factory twins come along when needed)."""
        rows = self.all_chosen() or [row for row in [self.chosen()] if row]
        if not rows:
            return
        shortlist, settings, made = self.state.project.shortlist, self.settings.values(), list[Candidate]()
        model, plan = self._model_id(), self.plan_choice.currentData()
        first = rows[0].engine.engine

        def do() -> None:
            if made:
                shortlist.set_removed([c.id for c in made], False)
                return
            for row in rows:
                alike = row.engine.engine == first  # settings, model and plan are those of the engine shown
                made.extend(
                    shortlist.add(
                        row.engine,
                        voice=row.voice.id,
                        settings=settings if alike else None,
                        model=model if alike and model else None,
                        plan=plan if alike else None,
                    )
                )
            if not made:
                raise ZestError(
                    tr("{label} with these settings is on the shortlist already.", label=rows[0].voice.label),
                    remedy=tr("Change a setting to compare it with itself."),
                )

        if self.state.edit(tr("shortlist"), do, lambda: shortlist.set_removed([c.id for c in made], True)):
            names = rows[0].voice.label if len(rows) == 1 else tr("{rows} voices", rows=len(rows))
            twins = len(made) - len(rows)
            self.state.say(
                tr("{names} put on the shortlist", names=names) + (tr(", with a factory twin.") if twins > 0 else ".")
            )
            self.refresh()
