"""Step 6, listening: setting up a blind test, sending listeners to the booth, and the panel's scores."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QFileDialog, QHBoxLayout, QInputDialog, QLineEdit, QVBoxLayout

from zestpanel.core.errors import ZestError
from zestpanel.core.languages import language_name
from zestpanel.core.listening.kind import Around, Found
from zestpanel.core.listening.material import takes_to_hear
from zestpanel.core.listening.power import what_can_be_told
from zestpanel.core.listening.rating_files import import_ratings
from zestpanel.core.listening.registry import kind_of
from zestpanel.core.listening.scales import SCALES
from zestpanel.core.listening.scores import primary
from zestpanel.core.listening.session import session_of
from zestpanel.core.listening.settings import TestSettings, came_later
from zestpanel.core.report.answers import write_answers
from zestpanel.core.report.pictures import scores_picture
from zestpanel.desk.charts.view import ChartView
from zestpanel.desk.pages.new_test import NewTestDialog
from zestpanel.desk.pages.page import Page
from zestpanel.desk.sources import behind_score
from zestpanel.desk.state import DeskState
from zestpanel.desk.widgets import EmptyState, Table, button, label


class ListeningPage(Page):
    title = "Listening"
    about = "Blind tests, planned from the question. The booth hides names and balances the order."
    begin = pyqtSignal(object)  # a ListeningSession, for the booth

    def __init__(self, state: DeskState) -> None:
        super().__init__(state)
        self.head.addWidget(
            button(
                "Ratings from a table …",
                self.ask_for_table,
                tip="CSV with the columns listener, passage, candidate, score",
            )
        )
        self.head.addWidget(
            button("Save answers …", self.ask_where_answers_go, tip="Every answer, as a table or as JSON lines")
        )
        self.head.addWidget(button("New test …", self.ask_for_test, tip="Planned from what you want to know"))
        row = QHBoxLayout()
        self.alias, self.languages, self.kit = QLineEdit(), QLineEdit(), QComboBox()
        self.alias.setPlaceholderText("listener, a name or an alias")
        self.languages.setPlaceholderText("languages they speak, such as en, fr")
        self.kit.addItems(["headphones", "speakers"])
        self.kit.setAccessibleName("Heard on")
        self.start = button("To the booth", self.to_the_booth, role="main")
        self.alias.returnPressed.connect(self.to_the_booth)
        self.languages.returnPressed.connect(self.to_the_booth)
        for widget, stretch in ((self.alias, 2), (self.languages, 2), (self.kit, 1), (self.start, 0)):
            row.addWidget(widget, stretch)
        self.body.addLayout(row)
        self._can_tell = label("", "small", wrap=True)
        self.body.addWidget(self._can_tell)
        self._charts = QVBoxLayout()
        self._charts.setSpacing(4)
        self.body.addLayout(self._charts)
        self._notes = label("", "small", wrap=True)
        self.body.addWidget(self._notes)
        self._others = QVBoxLayout()
        self._others.setSpacing(6)
        self.body.addLayout(self._others)
        self.body.addWidget(label("Listeners", "strong"))
        self.people = Table()
        self.people.setAccessibleName("Listeners")
        self.people.row_chosen.connect(self.ask_for_languages)
        self.body.addWidget(self.people)
        self.body.addStretch(1)
        self.charts: list[ChartView] = []

    def refresh(self) -> None:
        if self.cover_names():
            return
        if not any(cell.state == "there" for cell in self.state.bench.cells.values()):
            self.set_empty(
                EmptyState(
                    "There is nothing to hear yet. Render the candidates first.",
                    "Renders",
                    lambda: self.go_to("renders"),
                )
            )
            return
        self.set_empty(None)
        self._show_scores()
        self._show_other_tests()
        self._show_people()

    def settings(self) -> TestSettings:
        """The open test's, else what one opened now would have: the whole shortlist on all passages."""
        found = self.state.project.panel.open_test()
        if found is not None:
            return TestSettings.from_document(found.settings)
        bench = self.state.bench
        return TestSettings(
            candidate_ids=tuple(c.id for c in bench.candidates), passage_ids=tuple(p.id for p in bench.passages)
        )

    def open_test(self) -> int:
        """The open test, made when the first listener comes. From then on its candidates and passages stand."""
        found = self.state.project.panel.open_test()
        return found.id if found else self.state.project.panel.add_test("ACR", self.settings().as_document())

    def ask_for_test(self) -> None:
        names = {c.id: self.state.name(c) for c in self.state.bench.candidates}
        NewTestDialog(self, self.state.project, names, self.new_test).show()

    def new_test(self, kind: str, settings: TestSettings) -> None:
        """Close the open test and begin another; answers given so far are kept and stay below."""
        panel = self.state.project.panel
        found = panel.open_test()
        if found is not None:
            panel.close_test(found.id)
        panel.add_test(kind, settings.as_document())
        self.state.say(f"The test is open: {kind_of(kind).title}, {len(settings.candidate_ids)} candidates, "
                       f"{len(settings.passage_ids)} passages.")  # fmt: skip
        self.refresh()

    def to_the_booth(self) -> None:
        """Begin the listener's session, or go on where they stopped."""
        alias = self.alias.text().strip()
        if not alias:
            self.state.complain("Who listens? Write a name or an alias; it is all that is kept beside the languages.")
            self.alias.setFocus()
            return
        tags = _tags(self.languages.text())
        test_id = self.open_test()
        try:
            listener = self.state.project.panel.add_listener(alias, languages=tags, kit=self.kit.currentText())
            under_way = session_of(self.state.project, test_id, listener)
        except ZestError as error:
            self.state.complain(error)
            return
        if under_way.finished:
            self.state.say(f"{alias} has finished this test.")
            return
        self.begin.emit(under_way)

    def _show_scores(self) -> None:
        found = self.state.standing
        while (item := self._charts.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.deleteLater()
        self.charts = []
        if found is None:
            return
        self._can_tell.setText(self._about_the_test())
        for language in found.scores.languages:
            agreement = language.agreement
            self._charts.addWidget(label(language_name(language.language), "strong"))
            if agreement is not None:
                single, average = (
                    "undefined" if value is None else f"{value:.2f}".replace("-", "−")
                    for value in (agreement.single, agreement.average)
                )  # fmt: skip
                text = (
                    f"Agreement of single listeners {single}, of the panel's mean {average} "
                    "(ICC 2,1 and 2,k; 1 is full agreement)"
                )
                self._charts.addWidget(label(text, "small", wrap=True))
            chart = ChartView(self._maker(language.language))
            chart.candidate_chosen.connect(self._open_ratings)
            self._charts.addWidget(chart)
            self.charts.append(chart)
            chart.refresh()
        if not found.scores.languages:
            self._charts.addWidget(label("No ratings yet.", "quiet"))
        notes = (
            [
                "Bar: 95 % interval; intervals, letters, equality and chances hold for other listeners and other texts "
                "of the kind. Thin line: t interval over listener means. Candidates that share a letter are not told "
                "apart; that is not the same as equal."
            ]
            if found.scores.languages
            else []
        )
        if apart := found.scores.why_kept_apart():
            notes.append(apart + (" Double-click a listener to state languages." if found.scores.not_stated else ""))
        self._notes.setText(" ".join(notes))

    def _show_other_tests(self) -> None:
        """What the tests say that are no rating of listening quality, the newest first; worked out off this thread."""
        project = self.state.project
        names = {c.id: self.state.name(c) for c in self.state.bench.candidates}
        texts = {p.version_id: (p.text, p.language) for p in self.state.bench.passages}

        def work() -> list[tuple[str, Found | str]]:
            out: list[tuple[str, Found | str]] = []
            for test in reversed(project.panel.tests()):
                settings = TestSettings.from_document(test.settings)
                if test.kind == "ACR" and settings.scale == "ACR":
                    continue
                try:
                    kind = kind_of(test.kind)
                    around = Around(settings=settings, names=names, texts=texts)
                    found = kind.found(project.answers.of_test(test.id), around)
                except ZestError as error:
                    out.append((test.kind, error.what))
                    continue
                asks = SCALES[settings.scale].about if test.kind == "ACR" else kind.asks
                out.append((f"{asks}  ·  {kind.title}", found))
            return out

        self.state.background.run(work, self._show_found, self.state.complain, topic="other tests")

    def _show_found(self, tests: list[tuple[str, Found | str]]) -> None:
        while (item := self._others.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.deleteLater()
        for title, found in tests:
            if isinstance(found, str):
                self._others.addWidget(label(f"{title}: {found}", "quiet", wrap=True))
                continue
            self._others.addWidget(label(title, "strong"))
            self._others.addWidget(label(found.says, "", wrap=True))
            table = Table()
            table.setAccessibleName(title)
            numbers = list(found.numbers or range(1, len(found.head)))
            table.show_rows(list(found.head), [list(row) for row in found.rows], numbers=numbers)
            table.setFixedHeight(table.height_for_rows())
            self._others.addWidget(table)
            self._others.addWidget(label(found.rule, "small", wrap=True))

    def _about_the_test(self) -> str:
        """What is heard, what came too late for it, and what it will be able to tell, language by language."""
        settings, bench = self.settings(), self.state.bench
        heard = takes_to_hear(self.state.project, settings)
        if not heard:
            return ""
        test = self.state.project.panel.open_test()
        if test is not None and (test.kind != "ACR" or settings.scale != "ACR"):
            kind = kind_of(test.kind)
            asks = SCALES[settings.scale].about if test.kind == "ACR" else kind.asks
            inside = f"{len(settings.candidate_ids)} candidates on {len(settings.passage_ids)} passages"
            return f"Open: {asks} ({kind.title}; {inside}) The panel hears the starred take of a cell, else its first."
        languages = {p.version_id: primary(p.language) for p in bench.passages}
        people = self.state.project.panel.listeners()
        parts = ["The panel hears the starred take of a cell, else its first."]
        candidates, passages = came_later(
            settings, (c.id for c in bench.candidates), (p.id for p in bench.passages)
        )  # fmt: skip
        if candidates or passages:
            parts.append(
                f"{candidates} candidates and {passages} passages came after this test was opened and are not in it; "
                "New test takes them in."
            )
        for language in dict.fromkeys(languages[version] for _, version in heard):
            told = what_can_be_told(
                candidates=len({c for c, version in heard if languages[version] == language}),
                passages=len({version for _, version in heard if languages[version] == language}),
                listeners=sum(language in {primary(tag) for tag in person.languages} for person in people),
            )
            parts.append(f"{language_name(language)}: {told}")
        return " ".join(parts)

    def _maker(self, language: str):  # type: ignore[no-untyped-def]
        def make(width: float):  # type: ignore[no-untyped-def]
            found = self.state.standing
            return scores_picture(found, width=width, language=language) if found else None

        return make

    def _open_ratings(self, candidate_id: int) -> None:
        if self.state.standing and candidate_id in self.state.standing.rows:
            behind_score(self, self.state.project, self.state.standing.rows[candidate_id]).show()

    def _show_people(self) -> None:
        panel = self.state.project.panel
        test = panel.open_test()
        answers = self.state.project.answers
        sessions = {s.listener_id: s for s in panel.sessions(test.id)} if test else {}
        counts: dict[int, int] = {}
        for rating in answers.ratings():
            counts[rating.listener_id] = counts.get(rating.listener_id, 0) + 1
        rows = []
        for person in panel.listeners():
            session = sessions.get(person.id)
            if session is None:
                stand = "simulated" if person.simulated else "not in this test"
            elif session.finished:
                stand = "finished"
            else:
                stand = f"stopped after {len(answers.answered_places(session.id))} of {len(session.trials)} trials"
            rows.append(
                [
                    person.alias,
                    ", ".join(person.languages) or "not stated",
                    person.kit,
                    str(counts.get(person.id, 0)),
                    stand,
                ]
            )
        self.people.show_rows(["Listener", "Speaks", "Heard on", "Ratings", "This test"], rows, numbers=[3])
        self.people.setFixedHeight(self.people.height_for_rows())

    def ask_for_languages(self, index: int) -> None:
        """State which languages a listener speaks: ratings of others, and of nobody knows which, count in no score."""
        people = self.state.project.panel.listeners()
        if index >= len(people):
            return
        person = people[index]
        text, good = QInputDialog.getText(
            self, "Languages", f"Languages {person.alias} speaks, such as en, fr", text=", ".join(person.languages)
        )
        if good:
            self.state_languages(person.id, text)

    def state_languages(self, listener_id: int, text: str) -> None:
        panel = self.state.project.panel
        person = next(p for p in panel.listeners() if p.id == listener_id)
        before, after = person.languages, _tags(text)
        if tuple(after) != before:
            self.state.edit(
                f"languages of {person.alias}",
                lambda: panel.put_languages(listener_id, after),
                lambda: panel.put_languages(listener_id, before),
            )

    def ask_for_table(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Ratings from a table", "", "Tables (*.csv *.tsv *.txt)")
        if name:
            self.add_table(Path(name))

    def ask_where_answers_go(self) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self, "Save answers", "answers.csv", "Tables (*.csv);;JSON lines (*.jsonl)"
        )
        if name:
            self.save_answers(Path(name))

    def save_answers(self, to: Path) -> None:
        project = self.state.project
        self.state.background.run(
            lambda: write_answers(project, to), lambda count: self.state.say(f"{count} answers are in {to.name}."),
            self.state.complain,
        )  # fmt: skip

    def add_table(self, path: Path) -> None:
        project = self.state.project

        def arrived(count: int) -> None:
            self.state.say(f"{count} ratings from {path.name}.")
            self.state.refresh()

        self.state.background.run(lambda: import_ratings(project, path), arrived, self.state.complain)


def _tags(text: str) -> list[str]:
    """Language tags as a person writes them, parted by commas, semicolons or spaces."""
    return [tag.lower() for tag in text.replace(";", " ").replace(",", " ").split()]
