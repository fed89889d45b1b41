"""Step 6, listening: what the panel says, its tests and their doors, and who listens."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QFileDialog, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from zestpanel.core.choice.evidence import Evaluation
from zestpanel.core.domain.listening import QUALITY, RATING, Conduct, Listener, ListeningTest
from zestpanel.core.errors import TableError, ZestError
from zestpanel.core.languages import language_name
from zestpanel.core.listening.rating_files import import_rating_text
from zestpanel.core.listening.registry import kind_of
from zestpanel.core.listening.results import Result
from zestpanel.core.listening.scores import LanguageScores
from zestpanel.core.listening.session import session_of
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.listening.survey import Column, is_survey, keep_map, known_or_drafted, ratings_of
from zestpanel.core.report.answers import write_answers
from zestpanel.core.report.drawing import Picture
from zestpanel.core.report.pictures import scores_picture
from zestpanel.core.text_files import read_text
from zestpanel.core.texts import tr, trn
from zestpanel.desk.charts.view import ChartView
from zestpanel.desk.pages.listening.answers_dialog import AnswersDialog
from zestpanel.desk.pages.listening.groups_dialog import GroupsDialog
from zestpanel.desk.pages.listening.listener_dialog import ListenerDialog, tags_of
from zestpanel.desk.pages.listening.new_test import NewTestDialog
from zestpanel.desk.pages.listening.result_view import ResultView
from zestpanel.desk.pages.listening.survey_dialog import SurveyDialog
from zestpanel.desk.pages.page import Page
from zestpanel.desk.sources import behind_score
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table
from zestpanel.desk.viewmodels.listening import PEOPLE_HEAD, Looked, look_at_listening, settings_now
from zestpanel.desk.widgets import EmptyState, button, label, rule
from zestpanel.desk.word_box import add_words, chosen_word

_MOST_MB = 50


class ListeningPage(Page):
    title = tr("Listening")
    about = tr("Blind tests, planned from the question.")
    begin = pyqtSignal(object)  # a ListeningSession, for the booth

    def __init__(self, state: DeskState) -> None:
        super().__init__(state)
        for words, call, tip in (
            (tr("Ratings from a table …"), self.ask_for_table, tr("CSV: listener, passage, candidate, score")),
            (tr("Save answers …"), self.ask_where_answers_go, tr("Every answer, as a table or as JSON lines")),
            (tr("By groups …"), self.open_groups, tr("Scores by kind of text, hard part, passage, group of listeners")),
        ):
            self.head.addWidget(button(words, call, tip=tip))
        self.head.addWidget(
            button(tr("New test …"), lambda: self.ask_for_test(), tip=tr("Planned from what you want to know"))
        )
        self._scores = QVBoxLayout()
        self._scores.setSpacing(4)
        self.body.addLayout(self._scores)
        self._notes = label(tr("Reading the answers …"), "small", wrap=True)
        self.body.addWidget(self._notes)
        self._build_door()
        self._results = QVBoxLayout()
        self._results.setSpacing(10)
        self.body.addLayout(self._results)
        self.body.addWidget(label(tr("Listeners"), "strong"))
        self.people = Table()
        self.people.setAccessibleName(tr("Listeners"))
        self.people.row_chosen.connect(self.open_listener)
        self.body.addWidget(self.people)
        self.body.addStretch(1)
        self.charts: list[ChartView] = []

    def _build_door(self) -> None:
        """The open test, and the way of a listener into it."""
        self.body.addWidget(rule())
        self._open = label("", "", wrap=True)
        self.body.addWidget(self._open)
        row = QHBoxLayout()
        self.alias, self.languages, self.kit = QLineEdit(), QLineEdit(), QComboBox()
        self.alias.setPlaceholderText(tr("listener, a name or an alias"))
        self.languages.setPlaceholderText(tr("languages they speak, such as en, fr"))
        add_words(self.kit, ["headphones", "speakers"])
        self.kit.setAccessibleName(tr("Heard on"))
        self.start = button(tr("To the booth"), self.to_the_booth, role="main")
        self.alias.returnPressed.connect(self.to_the_booth)
        self.languages.returnPressed.connect(self.to_the_booth)
        for widget, stretch in ((self.alias, 2), (self.languages, 2), (self.kit, 1), (self.start, 0)):
            row.addWidget(widget, stretch)
        self.body.addLayout(row)
        self._can_tell = label("", "small", wrap=True)
        self.body.addWidget(self._can_tell)
        self.body.addWidget(rule())

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
        project, bench, evaluation = self.state.project, self.state.bench, self.state.evaluation
        self.state.background.run(
            lambda: look_at_listening(project, bench, evaluation), partial(self._show_found, evaluation),
            self.state.complain, topic="listening",
        )  # fmt: skip

    def _show_found(self, evaluation: Evaluation | None, found: Looked) -> None:
        self._open.setText(found.open_test)
        self._can_tell.setText(found.can_tell)
        if evaluation is not None:
            self._show_scores(evaluation, found.verdicts)
        self._show_results(found.results)
        self.people.show_rows(list(PEOPLE_HEAD), found.people, numbers=[5])
        self.people.setFixedHeight(self.people.height_for_rows())

    # -- tests

    def settings(self) -> TestSettings:
        """The open test's, else what one opened now would have."""
        return settings_now(self.state.project, self.state.bench)

    def open_test(self) -> int:
        """The open test, made when the first listener comes. From then on its candidates and passages stand."""
        found = self.state.project.panel.open_test()
        return found.id if found else self.state.project.panel.add_test(RATING, self.settings().as_document())

    def ask_for_test(self, like: ListeningTest | None = None) -> None:
        """A new test, or a new version of one."""
        engines = self.state.bench.engines
        persons = [c.id for c in self.state.bench.candidates if (e := engines.get(c.engine)) is not None and e.human]
        NewTestDialog(self, self.state, self.new_test, persons, like=like).show()

    def new_test(self, kind: str, settings: TestSettings) -> None:
        """Close the open test and begin another; answers given so far are kept and stay below."""
        panel = self.state.project.panel
        found = panel.open_test()
        if found is not None:
            panel.close_test(found.id)
        panel.add_test(kind, settings.as_document())
        self.state.say(
            tr(
                "The test is open: {title}, {candidate_ids} candidates, {passage_ids} passages.",
                title=kind_of(kind).title,
                candidate_ids=len(settings.candidate_ids),
                passage_ids=len(settings.passage_ids),
            )
        )
        self.refresh()

    def to_the_booth(self) -> None:
        """Begin the listener's session, or go on where they stopped."""
        alias = self.alias.text().strip()
        if not alias:
            self.state.complain(
                tr("Who listens? Write a name or an alias; it is all that is kept beside the languages.")
            )
            self.alias.setFocus()
            return
        tags = tags_of(self.languages.text())
        test_id = self.open_test()
        try:
            listener = self.state.project.panel.add_listener(alias, languages=tags, kit=chosen_word(self.kit))
            under_way = session_of(self.state.project, test_id, listener)
        except ZestError as error:
            self.state.complain(error)
            return
        if under_way.finished:
            self.state.say(tr("{alias} has finished this test.", alias=alias))
            return
        self.begin.emit(under_way)

    # -- what the panel says on the main scale

    def _show_scores(self, found: Evaluation, verdicts: dict[str, str]) -> None:
        _empty(self._scores)
        self.charts = []
        for k, language in enumerate(found.scores.languages):
            if k:
                self._scores.addSpacing(10)
            where = f"{language_name(language.language)}: " if len(found.scores.languages) > 1 else ""
            self._scores.addWidget(label(where + verdicts[language.language], "lead", wrap=True))
            chart = ChartView(partial(_picture_of, found, language.language), aside=self.state.aside)
            chart.candidate_chosen.connect(self._open_ratings)
            self._scores.addWidget(chart)
            self.charts.append(chart)
            chart.refresh_for(len(language.scores))
            if agreement := _agreement(language):
                self._scores.addWidget(label(agreement, "small", wrap=True))
        if not found.scores.languages:
            self._scores.addWidget(label(tr("No ratings yet."), "quiet"))
        notes = (
            [
                tr(
                    "Bar: 95 % interval; intervals, letters, equality and chances hold for other listeners and "
                    "other texts "
                    "of the kind. Thin line: t interval over listener means. Candidates that share a letter "
                    "are not told "
                    "apart; that is not the same as equal."
                )
            ]
            if found.scores.languages
            else []
        )
        if apart := found.scores.why_kept_apart():
            notes.append(
                apart + (tr(" Double-click a listener to state languages.") if found.scores.not_stated else "")
            )
        self._notes.setText(" ".join(notes))

    def _open_ratings(self, candidate_id: int) -> None:
        if self.state.evaluation and candidate_id in self.state.evaluation.rows:
            behind_score(self, self.state.project, self.state.evaluation.rows[candidate_id]).show()

    # -- what each test says

    def _show_results(self, results: list[Result | str]) -> None:
        """Each test, the newest first."""
        _empty(self._results)
        people = {p.id: p for p in self.state.project.panel.listeners()}
        for result in results:
            if isinstance(result, str):
                self._results.addWidget(label(result, "quiet", wrap=True))
                continue
            main = result.test.kind == RATING and result.settings.scale == QUALITY
            alone = main and not result.settings.also
            more = result.flags or result.out or result.settings.listeners or any(part.worst for part in result.parts)
            if alone and not more:
                continue  # its answers stand above, and there is nothing more to say of it
            change = partial(self.ask_for_test, result.test)
            self._results.addWidget(
                ResultView(result, people, self.decide, self.open_answers, change, figures=not alone)
            )

    def decide(self, test_id: int, listener_id: int, out: bool) -> None:
        """Leave a listener's answers out of a test's results, or count them again; taken back like any edit."""
        panel = self.state.project.panel
        before = panel.test(test_id).conduct

        def put(conduct: Conduct) -> Callable[[], None]:
            return lambda: panel.put_conduct(test_id, conduct)

        after = replace(
            before, left_out=before.left_out | {listener_id} if out else before.left_out - {listener_id},
            kept_in=before.kept_in - {listener_id} if out else before.kept_in | {listener_id},
        )  # fmt: skip
        alias = next((p.alias for p in panel.listeners() if p.id == listener_id), str(listener_id))
        words = tr("leaving {alias} out", alias=alias) if out else tr("counting {alias}", alias=alias)
        self.state.edit(words, put(after), put(before))

    def open_answers(self, test_id: int, candidate_id: int) -> None:
        AnswersDialog(self, self.state, test_id, candidate_id).show()

    def open_groups(self) -> None:
        GroupsDialog(self, self.state).show()

    # -- listeners

    def open_listener(self, index: int) -> None:
        """What is known of a listener, to be mended."""
        project = self.state.project
        people = project.panel.listeners()
        if index >= len(people):
            return
        person = people[index]
        voices = {c.voice: self.state.name(c) for c in self.state.bench.candidates}

        def forget() -> None:
            project.panel.forget(person.id)
            project.history.clear()  # what stands in it would bring the person back
            self.state.refresh()

        ListenerDialog(self, person, list(voices.items()), partial(self.mend_listener, person), forget).show()

    def mend_listener(self, before: Listener, after: Listener) -> bool:
        panel = self.state.project.panel
        if before == after:
            return True
        return self.state.edit(
            tr("what is known of {alias}", alias=before.alias),
            lambda: panel.put_listener(after),
            lambda: panel.put_listener(before),
        )

    # -- in and out

    def ask_for_table(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, tr("Ratings from a table"), "", tr("Tables (*.csv *.tsv *.txt)"))
        if name:
            self.add_table(Path(name))

    def ask_where_answers_go(self) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self, tr("Save answers"), "answers.csv", tr("Tables (*.csv);;JSON lines (*.jsonl)")
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
        """A table of ratings is read; of a form's table it is first asked which column is whose, once for its
        columns."""
        project = self.state.project

        def work() -> tuple[str, list[Column]] | int:
            text = read_text(path, most_mb=_MOST_MB, kept=tr("No rating was added."), error=TableError)
            if not is_survey(text):
                return import_rating_text(project, text, path.name)
            return text, known_or_drafted(project.shortlist, project.documents, project.texts, text)

        def arrived(found: tuple[str, list[Column]] | int) -> None:
            if isinstance(found, int):
                self._came(path.name, found)
                return
            text, columns = found
            SurveyDialog(self, self.state, path.name, columns, partial(self._read_form, path.name, text)).show()

        self.state.background.run(work, arrived, self.state.complain)

    def _read_form(self, name: str, text: str, columns: list[Column]) -> None:
        project = self.state.project

        def work() -> int:
            count = import_rating_text(project, ratings_of(text, name, columns), name)
            keep_map(project.documents, columns)
            return count

        self.state.background.run(work, partial(self._came, name), self.state.complain)

    def _came(self, name: str, count: int) -> None:
        self.state.say(
            trn("{count} rating from {name}.", "{count} ratings from {name}.", count, count=count, name=name)
        )
        self.state.refresh()


def _picture_of(found: Evaluation, language: str, width: float) -> Picture | None:
    return scores_picture(found, width=width, language=language)


def _agreement(found: LanguageScores) -> str:
    agreement = found.agreement
    if agreement is None:
        return ""
    single, average = (
        tr("undefined") if value is None else f"{value:.2f}".replace("-", "−")
        for value in (agreement.single, agreement.average)
    )  # fmt: skip
    return tr(
        "Agreement of single listeners {single}, of the panel's mean {average} (ICC 2,1 and 2,k; 1 is full agreement)",
        single=single,
        average=average,
    )


def _empty(layout: QVBoxLayout) -> None:
    while (item := layout.takeAt(0)) is not None:
        widget: QWidget | None = item.widget()
        if widget is not None:
            widget.deleteLater()
