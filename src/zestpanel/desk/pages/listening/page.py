"""Step 6, listening: the tests and their doors, what they say together, and who listens."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFileDialog

from zestpanel.core.errors import TableError
from zestpanel.core.listening.answers_in import is_answer_file, take_in
from zestpanel.core.listening.elsewhere.returned import is_from_a_pack, take_back
from zestpanel.core.listening.foreign_tables import Sheet, table_of
from zestpanel.core.listening.rating_files import import_rating_text
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.listening.survey import Column, examples_of, is_survey, keep_map, known_or_drafted, ratings_of
from zestpanel.core.report.answers import write_answers
from zestpanel.core.text_files import read_text
from zestpanel.core.texts import tr, trn
from zestpanel.desk.pages.listening.groups_dialog import GroupsDialog
from zestpanel.desk.pages.listening.people_view import PeopleView
from zestpanel.desk.pages.listening.results_view import ResultsView
from zestpanel.desk.pages.listening.survey_dialog import SurveyDialog
from zestpanel.desk.pages.listening.tests_view import TestsView
from zestpanel.desk.pages.tabbed import TabbedPage
from zestpanel.desk.state import DeskState
from zestpanel.desk.widgets import EmptyState, button

_MOST_MB = 50


class ListeningPage(TabbedPage):
    title = tr("Listening")
    about = tr("Blind tests, planned from the question.")
    begin = pyqtSignal(object, object)  # a ListeningSession and where it is sat at, for the booth

    def __init__(self, state: DeskState) -> None:
        super().__init__(state)
        for words, call, tip in (
            (
                tr("Answers from a file …"),
                self.ask_for_table,
                tr("Saved answers, or ratings: a spreadsheet, CSV, JSON"),
            ),
            (tr("Save answers …"), self.ask_where_answers_go, tr("Every answer, as a table, or whole to be taken in")),
            (tr("By groups …"), self.open_groups, tr("Scores by kind of text, hard part, passage, group of listeners")),
        ):
            self.head.addWidget(button(words, call, tip=tip))
        self.tests, self.results, self.people = TestsView(state), ResultsView(state), PeopleView(state)
        new = button(tr("New test …"), lambda: self.ask_for_test(), tip=tr("Planned from what you want to know"))
        self.head.addWidget(new)
        self.tests.begin.connect(self.begin)
        self.results.test_chosen.connect(self.open_test)
        self.add_views(("Tests", "Results", "Listeners"), (self.tests, self.results, self.people))

    def refresh(self) -> None:
        if self.cover_names():
            return
        if not any(cell.state == "there" for cell in self.state.bench.cells.values()):
            self.set_empty(
                EmptyState(
                    tr("There is nothing to hear yet. Render the candidates first."),
                    tr("Renders"),
                    lambda: self.go_to("renders"),
                )
            )
            return
        self.set_empty(None)
        self.refresh_view()

    # -- tests

    def settings(self) -> TestSettings:
        return self.tests.settings()

    def ask_for_test(self) -> None:
        self.show_view("Tests")
        self.tests.ask_for_test()

    def open_test(self, test_id: int) -> None:
        self.tests.choose(test_id)
        self.show_view("Tests")

    def open_groups(self) -> None:
        GroupsDialog(self, self.state).show()

    # -- in and out

    def ask_for_table(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, tr("Answers from a file"), "", tr("Answers (*.jsonl *.csv *.tsv *.txt *.xlsx *.json)")
        )
        if name:
            self.add_table(Path(name))

    def ask_where_answers_go(self) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self, tr("Save answers"), "answers.jsonl", tr("All, to be taken in again (*.jsonl);;A table (*.csv)")
        )
        if name:
            self.save_answers(Path(name))

    def save_answers(self, to: Path) -> None:
        project = self.state.project
        self.state.background.run(
            lambda: write_answers(project, to),
            lambda count: self.state.say(
                trn("{count} answer is in {name}.", "{count} answers are in {name}.", count, count=count, name=to.name)
            ),
            self.state.complain,
        )

    def add_table(self, path: Path) -> None:
        """A file of answers, or a table of ratings, is taken in; of a table of any other shape it is first asked what
        its columns hold, once for its columns."""
        project = self.state.project

        def work() -> tuple[Sheet, list[Column]] | str:
            if is_from_a_pack(path):
                text = read_text(path, most_mb=_MOST_MB, kept=tr("Nothing was taken in."), error=TableError)
                return take_back(project, text, path.name).says(path.name)
            if path.suffix.lower() == ".jsonl":
                text = read_text(path, most_mb=_MOST_MB, kept=tr("Nothing was taken in."), error=TableError)
                if is_answer_file(text):
                    return take_in(project, text, path.name).says(path.name)
            sheet = table_of(path, kept=tr("No rating was added."))
            if not is_survey(sheet.text):
                found = import_rating_text(project, sheet.text, path.name)
                return replace(found, note=sheet.note).says(path.name)
            return sheet, known_or_drafted(project.shortlist, project.documents, project.texts, sheet.text)

        def arrived(found: tuple[Sheet, list[Column]] | str) -> None:
            if isinstance(found, str):
                self._came(found)
                return
            sheet, columns = found
            SurveyDialog(self, self.state, path.name, columns, partial(self._read_form, path.name, sheet),
                         examples_of(sheet.text)).show()  # fmt: skip

        self.state.background.run(work, arrived, self.state.complain)

    def _read_form(self, name: str, sheet: Sheet, columns: list[Column]) -> None:
        project = self.state.project

        def work() -> str:
            found = import_rating_text(project, ratings_of(sheet.text, name, columns), name)
            keep_map(project.documents, columns)
            return replace(found, note=sheet.note).says(name)

        self.state.background.run(work, self._came, self.state.complain)

    def _came(self, said: str) -> None:
        self.state.say(said)
        self.state.refresh()
