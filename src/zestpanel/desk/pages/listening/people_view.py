"""Who listens: what is known of them, and how far each is."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from zestpanel.core.domain.listening import Listener
from zestpanel.core.errors import ZestError
from zestpanel.core.listening.elsewhere.notice import Kept, due
from zestpanel.core.texts import tr, trn
from zestpanel.desk.pages.listening.listener_dialog import ListenerDialog
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table
from zestpanel.desk.viewmodels.listening import PEOPLE_HEAD, look_at_people
from zestpanel.desk.widgets import button, label

_NAMED = 5


class PeopleView(QWidget):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.state = state
        body = QVBoxLayout(self)
        body.setContentsMargins(0, 4, 0, 8)
        body.setSpacing(10)
        about = tr(
            "Enter or a double click opens what is known of a listener. Answers of all kinds of tests are counted."
        )
        body.addWidget(label(about, "quiet", wrap=True))
        over = QHBoxLayout()
        self.over = label("", "bad", wrap=True)
        self.forget_due = button(tr("Forget them now"), self._forget_due, tip=tr("A number and the answers are left"))
        over.addWidget(self.over, 1)
        over.addWidget(self.forget_due)
        body.addLayout(over)
        self.people = Table()
        self.people.setAccessibleName(tr("Listeners"))
        self.people.row_chosen.connect(self.open_listener)
        body.addWidget(self.people, 1)

    def refresh(self) -> None:
        project = self.state.project
        self.state.background.run(lambda: (look_at_people(project), due(project)), self._show, self.state.complain,
                                  topic="listeners")  # fmt: skip

    def _show(self, found: tuple[list[list[str]], list[Kept]]) -> None:
        rows, over = found
        self.over.setText(trn("{n} listener may be known no longer, by the notice: {who}.",
                              "{n} listeners may be known no longer, by the notice: {who}.", len(over), n=len(over),
                              who=", ".join(one.listener.alias for one in over[:_NAMED])) if over else "")  # fmt: skip
        self.over.setVisible(bool(over))
        self.forget_due.setVisible(bool(over))
        self.people.show_rows(list(PEOPLE_HEAD), rows, numbers=[5])

    def _forget_due(self) -> None:
        project = self.state.project
        for one in due(project):
            project.panel.forget(one.listener.id)
        project.history.clear()  # what stands in it would bring them back
        self.state.refresh()
        self.refresh()

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

        ListenerDialog(self, person, list(voices.items()), partial(self.mend_listener, person), forget,
                       [one for one in people if one.id != person.id], partial(self.merge, person)).show()  # fmt: skip

    def merge(self, person: Listener, into: int) -> bool:
        """The person's sessions are another listener's; taken back like any edit."""
        panel = self.state.project.panel
        other = next(one for one in panel.listeners() if one.id == into)
        try:
            moved = panel.sessions_to_merge(person.id, into)
        except ZestError as error:
            self.state.complain(error)
            return False
        words = tr("{alias} is {other}", alias=person.alias, other=other.alias)
        return self.state.edit(words, lambda: panel.give_sessions(moved, into),
                               lambda: panel.give_sessions(moved, person.id))  # fmt: skip

    def mend_listener(self, before: Listener, after: Listener) -> bool:
        panel = self.state.project.panel
        if before == after:
            return True
        return self.state.edit(
            tr("what is known of {alias}", alias=before.alias),
            lambda: panel.put_listener(after),
            lambda: panel.put_listener(before),
        )
