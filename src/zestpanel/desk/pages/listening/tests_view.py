"""The tests of the project: listed, opened side by side, closed and opened again, copied, removed; the way of a
listener into one, and what it says."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

from PyQt6.QtCore import QStringListModel, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QCompleter,
    QHBoxLayout,
    QInputDialog,
    QLineEdit,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from zestpanel.core import clock
from zestpanel.core.domain.listening import RATING, Conduct, ListeningTest, Sitting
from zestpanel.core.errors import ZestError
from zestpanel.core.listening.registry import kind_of
from zestpanel.core.listening.results import Result, open_early
from zestpanel.core.listening.session import session_of, tried_out
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.texts import some_of, tr, trn
from zestpanel.desk.pages.listening.answers_dialog import AnswersDialog
from zestpanel.desk.pages.listening.elsewhere_dialog import ElsewhereDialog
from zestpanel.desk.pages.listening.listener_dialog import offer_languages, tags_of
from zestpanel.desk.pages.listening.new_test import NewTestDialog
from zestpanel.desk.pages.listening.result_view import ResultView
from zestpanel.desk.panel_process import PanelProcess
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table, choose_row
from zestpanel.desk.viewmodels.listening import (
    TESTS_HEAD,
    OneTest,
    TestLine,
    Turned,
    look_at_test,
    look_at_tests,
    settings_now,
)
from zestpanel.desk.widgets import button, label, rule
from zestpanel.desk.word_box import add_words, chosen_word

_MOST_NAMED = 3


class TestsView(QScrollArea):
    __test__ = False  # no test of pytest's
    begin = pyqtSignal(object, object)  # a ListeningSession and where it is sat at, for the booth

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.state = state
        self.panel = PanelProcess(self)
        self._chosen: int | None = None  # the test that is shown, None for the newest
        self._lines: list[TestLine] = []
        self.setWidgetResizable(True)
        inside = QWidget()
        self.body = QVBoxLayout(inside)
        self.body.setContentsMargins(0, 4, 8, 8)
        self.body.setSpacing(10)
        self.setWidget(inside)
        self.table = Table()
        self.table.setAccessibleName(tr("Listening tests"))
        self.table.itemSelectionChanged.connect(self._row_changed)
        self.body.addWidget(self.table)
        self._none = label(tr("No test yet. New test plans one from what you want to know."), "quiet", wrap=True)
        self.body.addWidget(self._none)
        self.body.addLayout(self._actions())
        self._build_door()
        self._result = QVBoxLayout()
        self._result.setSpacing(10)
        self.body.addLayout(self._result)
        self.body.addStretch(1)

    def _actions(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(14)
        self.rename = button(tr("Rename …"), self._ask_for_name, role="link", tip=tr("What the test is called here"))
        tip = tr("The same test with something changed; what was answered stays as it is")
        self.version = button(tr("New version …"), lambda: self._again(version=True), role="link", tip=tip)
        self.tried = button(tr("Try it"), self._try_it, role="link", tip=tr("As a listener, and nothing is kept"))
        self.copied = button(tr("Copy …"), lambda: self._again(version=False), role="link",
                             tip=tr("Another test that begins with the same settings"))  # fmt: skip
        tip = tr("Files or links for listeners on other machines, and what came back from them")
        self.elsewhere = button(tr("Listeners elsewhere …"), self._open_elsewhere, role="link", tip=tip)
        self.close_it = button(tr("Close"), self._close, role="link")
        self.mixed = button("", self._mix, role="link")
        self.remove = button(tr("Remove"), self._remove, role="link",
                             tip=tr("Off the list with its answers, which are kept; undo brings it back"))  # fmt: skip
        self.buttons = (self.tried, self.elsewhere, self.rename, self.version, self.copied, self.close_it, self.mixed,
                        self.remove)  # fmt: skip
        for one in self.buttons:
            row.addWidget(one)
        row.addStretch(1)
        return row

    def _build_door(self) -> None:
        """The chosen test, and the way of a listener into it."""
        self.body.addWidget(rule())
        self._open = label("", "", wrap=True)
        self.body.addWidget(self._open)
        self.door = QWidget()
        row = QHBoxLayout(self.door)
        row.setContentsMargins(0, 0, 0, 0)
        self.alias, self.languages, self.kit, self.place = QLineEdit(), QLineEdit(), QComboBox(), QComboBox()
        self.alias.setPlaceholderText(tr("listener, a name or an alias"))
        self.languages.setPlaceholderText(tr("languages they speak, such as English, French"))
        offer_languages(self.languages)
        self._known = QCompleter([], self.alias)
        self._known.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        self.alias.setCompleter(self._known)
        self.alias.editingFinished.connect(self._fill_in)
        add_words(self.kit, ["headphones", "speakers"])
        self.kit.setAccessibleName(tr("Heard on"))
        add_words(self.place, ["room not stated", "quiet room", "ordinary room", "noisy room"])
        self.place.setAccessibleName(tr("Where"))
        self.start = button(tr("To the booth"), self.to_the_booth, role="main")
        self.alias.returnPressed.connect(self.to_the_booth)
        self.languages.returnPressed.connect(self.to_the_booth)
        for widget, stretch in ((self.alias, 2), (self.languages, 2), (self.kit, 1), (self.place, 1),
                                (self.start, 0)):  # fmt: skip
            row.addWidget(widget, stretch)
        self.body.addWidget(self.door)
        self._can_tell = label("", "small", wrap=True)
        self.body.addWidget(self._can_tell)
        self.body.addWidget(rule())

    def _fill_in(self) -> None:
        """What is known of somebody who has listened before."""
        person = self.state.project.panel.called(self.alias.text())
        if person is not None:
            self.alias.setText(person.alias)
            if not self.languages.text():
                self.languages.setText(", ".join(person.languages))

    # -- what is shown

    def refresh(self) -> None:
        project = self.state.project
        self.state.background.run(lambda: look_at_tests(project), self._show_tests, self.state.complain,
                                  topic="tests")  # fmt: skip

    @property
    def chosen(self) -> TestLine | None:
        return next((one for one in self._lines if one.test.id == self._chosen), None)

    def choose(self, test_id: int) -> None:
        """Show a test; it is chosen in the list once that is read."""
        self._chosen = test_id
        self.refresh()

    def _show_tests(self, lines: list[TestLine]) -> None:
        self._lines = lines
        model = self._known.model()
        if isinstance(model, QStringListModel):
            model.setStringList([one.alias for one in self.state.project.panel.listeners()])
        if self.chosen is None:
            self._chosen = lines[0].test.id if lines else None
        self.table.blockSignals(True)
        self.table.show_rows(list(TESTS_HEAD), [list(one.cells) for one in lines], numbers=[1, 2], wide=0)
        self.table.setFixedHeight(self.table.height_for_rows(6))
        at = next((k for k, one in enumerate(lines) if one.test.id == self._chosen), None)
        if at is not None:
            choose_row(self.table, at)
        self.table.blockSignals(False)
        self.table.setVisible(bool(lines))
        self._none.setVisible(not lines)
        self._read_chosen()

    def _row_changed(self) -> None:
        row = self.table.currentRow()
        if 0 <= row < len(self._lines) and self._lines[row].test.id != self._chosen:
            self._chosen = self._lines[row].test.id
            self._read_chosen()

    def _read_chosen(self) -> None:
        project, bench, evaluation, chosen = self.state.project, self.state.bench, self.state.evaluation, self._chosen
        self._show_actions()
        self.state.background.run(
            lambda: look_at_test(project, bench, evaluation, chosen), partial(self._show_one, chosen),
            self.state.complain, topic="test",
        )  # fmt: skip

    def _show_actions(self) -> None:
        line = self.chosen
        by_table = line is not None and "origin" in line.test.settings
        for one in self.buttons:
            one.setVisible(line is not None)
        for one in (self.tried, self.elsewhere, self.version, self.copied, self.close_it):
            one.setVisible(line is not None and not by_table)
        if line is None:
            return
        test = line.test
        self.close_it.setText(tr("Reopen") if test.closed else tr("Close"))
        self.close_it.setToolTip(tr("Listeners may begin it and go on with it again") if test.closed else
                                 tr("Nobody begins it any more; before all planned listeners have finished that is a "
                                    "look at the result"))  # fmt: skip
        self.mixed.setVisible(test.kind == RATING)
        self.mixed.setText(tr("Count by itself") if self._counts(line) else tr("Count with the others"))
        self.mixed.setToolTip(tr("Whether its ratings enter the panel's score, the choice and the record together with "
                                 "those of other tests on the same scale"))  # fmt: skip

    def _counts(self, line: TestLine) -> bool:
        return self.state.project.panel.apart().get(line.test.id) in (None, "covered")

    def _show_one(self, of: int | None, found: OneTest) -> None:
        if of != self._chosen:
            return
        line = self.chosen
        self._open.setText(found.about)
        self._open.setVisible(bool(found.about))
        self._can_tell.setText(found.can_tell)
        self._can_tell.setVisible(bool(found.can_tell))
        self.door.setVisible(line is None or not line.test.closed or all(one.test.closed for one in self._lines))
        empty(self._result)
        if found.wanted:
            self._result.addWidget(label(found.wanted, "small", wrap=True))
        for one in found.turned:
            row = QHBoxLayout()
            row.addWidget(label(one.says, "small", wrap=True), 1)
            tip = tr("At the next sitting they are asked anew what is asked before the test")
            row.addWidget(button(tr("Ask again"), partial(self._ask_again, one), role="link", tip=tip))
            self._result.addLayout(row)
        if isinstance(found.result, str):
            self._result.addWidget(label(found.result, "quiet", wrap=True))
        elif found.result is not None:
            self._show_result(found.result)

    def _show_result(self, result: Result) -> None:
        changed = result.changed
        if changed.passages and not result.test.conduct.old_texts:
            names = some_of(list(changed.passages), _MOST_NAMED)
            said = trn(
                "Words of this test were changed or removed after it began ({names}): {n} answer to the old ones "
                "counts nowhere, and nobody can begin or go on.",
                "Words of this test were changed or removed after it began ({names}): {n} answers to the old ones "
                "count nowhere, and nobody can begin or go on.", changed.answers, n=changed.answers, names=names,
            )  # fmt: skip
            self._result.addWidget(label(said, "bad", wrap=True))
            row = QHBoxLayout()
            row.addWidget(button(tr("Go on with the old words"), partial(self._keep_old_words, result.test)))
            row.addWidget(button(tr("New version …"), lambda: self._again(version=True)))
            row.addStretch(1)
            self._result.addLayout(row)
        if changed.taken_off:
            names = some_of(list(changed.taken_off), _MOST_NAMED)
            said = tr("No longer on the shortlist: {names}. Answers about them stand here, and in no figure of the "
                      "choice.", names=names)  # fmt: skip
            self._result.addWidget(label(said, "small", wrap=True))
        if result.covered:
            words = tr("The result is covered: {n} of {planned} planned listeners have finished. What is seen before "
                       "the end tempts to stop where it pleases.", n=result.progress.finished,
                       planned=result.test.planned)  # fmt: skip
            self._result.addWidget(label(words, "lead", wrap=True))
            row = QHBoxLayout()
            tip = tr("Kept with the date, and printed with the result; covered again once more have answered")
            row.addWidget(button(tr("Open it early"), partial(self._open_early, result.test.id), tip=tip))
            row.addStretch(1)
            self._result.addLayout(row)
            return
        people = {p.id: p for p in self.state.project.panel.listeners()}
        self._result.addWidget(ResultView(result, people, self.decide, self.open_answers, self.give_reason))

    # -- what is done with a test

    def _edit(self, test: ListeningTest, words: str, conduct: Conduct) -> None:
        panel, before = self.state.project.panel, test.conduct
        self.state.edit(words, lambda: panel.put_conduct(test.id, conduct), lambda: panel.put_conduct(test.id, before))

    def _ask_for_name(self) -> None:
        if (line := self.chosen) is None:
            return
        known = line.test.conduct.name
        name, good = QInputDialog.getText(self, tr("Rename the test"), tr("Its name; empty for its question"),
                                          text=known)  # fmt: skip
        if good and (name := name.strip()[:200]) != known:
            self._edit(line.test, tr("naming test {id}", id=line.test.id), replace(line.test.conduct, name=name))

    def _again(self, *, version: bool) -> None:
        if (line := self.chosen) is not None:
            self.ask_for_test(line.test, version=version)

    def _try_it(self) -> None:
        if (line := self.chosen) is None:
            return
        try:
            self.begin.emit(tried_out(self.state.project, line.test.id, tags_of(self.languages.text())), Sitting())
        except ZestError as error:
            self.state.complain(error)

    def _open_elsewhere(self) -> None:
        if (line := self.chosen) is not None:
            ElsewhereDialog(self, self.state, line.test, self.panel, self.state.refresh).show()

    def _close(self) -> None:
        if (line := self.chosen) is None:
            return
        panel, test = self.state.project.panel, line.test
        conduct, closed = test.conduct, bool(test.closed)

        def back() -> None:
            panel.close_test(test.id, closed=closed)
            panel.put_conduct(test.id, conduct)

        words = tr("reopening test {id}", id=test.id) if closed else tr("closing test {id}", id=test.id)
        self.state.edit(words, lambda: panel.close_test(test.id, closed=not closed), back)

    def _mix(self) -> None:
        if (line := self.chosen) is not None:
            counts = self._counts(line)
            words = tr("counting test {id} by itself", id=line.test.id) if counts else (
                tr("counting test {id} with the others", id=line.test.id))  # fmt: skip
            self._edit(line.test, words, replace(line.test.conduct, mixed=not counts))

    def _remove(self) -> None:
        if (line := self.chosen) is not None:
            day = clock.today().isoformat()
            self._edit(line.test, tr("removing test {id}", id=line.test.id), replace(line.test.conduct, removed=day))

    def _keep_old_words(self, test: ListeningTest) -> None:
        self._edit(test, tr("going on with the old words"), replace(test.conduct, old_texts=True))

    def _ask_again(self, of: Turned) -> None:
        panel = self.state.project.panel
        self.state.edit(tr("asking a listener again"), lambda: panel.put_away(of.session_id, None, ""),
                        lambda: panel.put_away(of.session_id, of.entry, of.why))  # fmt: skip

    def _open_early(self, test_id: int) -> None:
        open_early(self.state.project.panel, test_id)
        self.state.refresh()

    def give_reason(self, test_id: int, listener_id: int, words: str) -> None:
        test = self.state.project.panel.test(test_id)
        reasons = {**test.conduct.reasons, listener_id: words}
        self._edit(test, tr("a reason"), replace(test.conduct, reasons={k: why for k, why in reasons.items() if why}))

    def decide(self, test_id: int, listener_id: int, out: bool) -> None:
        """Leave a listener's answers out of a test's results, for a reason that is asked, or count them again; taken
        back like any edit."""
        panel = self.state.project.panel
        test = panel.test(test_id)
        before = test.conduct
        alias = next((p.alias for p in panel.listeners() if p.id == listener_id), str(listener_id))
        after = replace(
            before, left_out=before.left_out | {listener_id} if out else before.left_out - {listener_id},
            kept_in=before.kept_in - {listener_id} if out else before.kept_in | {listener_id},
        )  # fmt: skip
        self._edit(test, tr("leaving {alias} out", alias=alias) if out else tr("counting {alias}", alias=alias), after)

    def open_answers(self, test_id: int, candidate_id: int) -> None:
        AnswersDialog(self, self.state, test_id, candidate_id).show()

    # -- new ones

    def settings(self) -> TestSettings:
        """The open test's, else what one opened now would have."""
        return settings_now(self.state.project, self.state.bench)

    def ask_for_test(self, like: ListeningTest | None = None, *, version: bool = True) -> None:
        """A new test, a new version of one, or another that begins with the same settings."""
        engines = self.state.bench.engines
        persons = [c.id for c in self.state.bench.candidates if (e := engines.get(c.engine)) is not None and e.human]
        NewTestDialog(self, self.state, self.new_test, persons, like=like, version=version).show()

    def new_test(self, kind: str, settings: TestSettings) -> None:
        """Begin another; those that are open stay so."""
        self._chosen = self.state.project.panel.add_test(kind, settings.as_document())
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
        """Begin the listener's session of the chosen test, or go on where they stopped."""
        alias = self.alias.text().strip()
        if not alias:
            self.state.complain(
                tr("Who listens? Write a name or an alias; it is all that is kept beside the languages.")
            )
            self.alias.setFocus()
            return
        panel = self.state.project.panel
        try:
            tags = tags_of(self.languages.text())
        except ZestError as error:
            self.state.complain(error)
            self.languages.setFocus()
            return
        # the first listener of a project opens a test of everything; from then on its candidates and passages stand
        chosen = next((one for one in panel.tests() if one.id == self._chosen and not one.closed), panel.open_test())
        test_id = chosen.id if chosen else panel.add_test(RATING, self.settings().as_document())
        self._chosen = test_id
        try:
            kit = chosen_word(self.kit)
            stated = (
                "not stated" if panel.called(alias) is not None else kit
            )  # what is known of a person stays; a sitting has its own
            listener = panel.add_listener(alias, languages=tags, kit=stated)
            under_way = session_of(self.state.project, test_id, listener)
        except ZestError as error:
            self.state.complain(error)
            return
        if under_way.finished:
            self.state.say(tr("{alias} has finished this test.", alias=alias))
            return
        room = chosen_word(self.place)
        self.begin.emit(under_way, Sitting(kit=kit, room="" if room == "room not stated" else room))


def empty(layout: QVBoxLayout | QHBoxLayout) -> None:
    """Nothing is left of what stood in it."""
    while (item := layout.takeAt(0)) is not None:
        widget: QWidget | None = item.widget()
        if widget is not None:
            widget.deleteLater()
        elif isinstance(inner := item.layout(), QVBoxLayout | QHBoxLayout):
            empty(inner)
