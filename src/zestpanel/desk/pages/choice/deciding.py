"""The form that fills a role, and what is decided."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QFileDialog, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from zestpanel.core.choice.chosen_set import chosen_set
from zestpanel.core.choice.decided import Decision, decisions
from zestpanel.core.choice.decision import (
    NobodyHeardIt,
    changed_since,
    decide,
    suggest_runner_up,
    take_back,
    what_stands_against,
)
from zestpanel.core.choice.gates import Gate
from zestpanel.core.choice.row import Row
from zestpanel.core.choice.standing import Standing
from zestpanel.core.errors import ZestError
from zestpanel.core.production.narration import OUTPUT
from zestpanel.core.production.sheet import sheet_of
from zestpanel.core.text_files import write_text
from zestpanel.core.texts import tr
from zestpanel.desk.pages.choice.beside import BesideDialog
from zestpanel.desk.pages.engines.notes import StatementDialog
from zestpanel.desk.pages.engines.price import PriceDialog
from zestpanel.desk.pages.renders.questions import question
from zestpanel.desk.state import DeskState
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.widgets import button, label


class Deciding(QWidget):
    """go_to: called with the key of the role that is to be shown."""

    def __init__(self, state: DeskState, go_to: Callable[[str], None]) -> None:
        super().__init__()
        self._state, self._go_to = state, go_to
        self._standing: Standing | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        self.title = label("", "strong")
        column.addWidget(self.title)
        self.who, self.why, self.by = QComboBox(), QLineEdit(), QLineEdit()
        self.may_reopen, self.look_again = QLineEdit(), QLineEdit()
        self.who.setAccessibleName(tr("Candidate"))
        self.who.setMinimumWidth(theme.px(220))
        for edit, words in ((self.why, tr("why, in a sentence")), (self.by, tr("decided by")),
                            (self.may_reopen, tr("who may reopen it")),
                            (self.look_again, tr("look again on, 2027-03-01"))):  # fmt: skip
            edit.setPlaceholderText(words)
            edit.setAccessibleName(words)
        first = QHBoxLayout()
        first.addWidget(self.who, 2)
        first.addWidget(self.why, 5)
        column.addLayout(first)
        second = QHBoxLayout()
        second.addWidget(self.by, 2)
        second.addWidget(self.may_reopen, 2)
        second.addWidget(self.look_again, 2)
        self.why_not = button(
            tr("Why not this one? …"),
            self.ask_why_not,
            tip=tr("Beside the one that is chosen, or leads: every criterion and every must-have"),
        )
        second.addWidget(self.why_not)
        self.nobody = button(tr("Nobody is good enough"), lambda: self.decide(nobody=True),
                             tip=tr("The role stays open, and the reason is kept"))  # fmt: skip
        second.addWidget(self.nobody)
        self.choose = button(tr("Choose"), lambda: self.decide(), role="main")
        second.addWidget(self.choose)
        column.addLayout(second)
        self._against = label("", "bad", wrap=True)
        column.addWidget(self._against)
        self.state_it = button(tr("State what is not known …"), self.ask_what_is_unknown,
                               tip=tr("With where it stands, and when you read it"))  # fmt: skip
        column.addWidget(self.state_it, 0, Qt.AlignmentFlag.AlignLeft)
        self._decided = QVBoxLayout()
        self._decided.setSpacing(2)
        column.addLayout(self._decided)
        self.who.currentIndexChanged.connect(self._say_against)

    def show_of(self, standing: Standing) -> None:
        """Whom the role can be given to, in the order of the ranking; and all that is decided."""
        another = self._standing is None or self._standing.key != standing.key
        self._standing = standing
        role = standing.role
        self.title.setText(tr("Choose for: {name}", name=standing.name) if role is not None else tr("Choose"))
        chosen = self._chosen()
        before = chosen if another else self.who.currentData()
        self.who.blockSignals(True)
        self.who.clear()
        for ranked in standing.ranking:
            row = standing.rows[ranked.candidate_id]
            self.who.addItem(f"{row.name}, {row.detail}", ranked.candidate_id)
        self.who.setCurrentIndex(max(0, self.who.findData(before)))
        self.who.blockSignals(False)
        self._say_against()
        self.show_decided()

    def name_candidate(self, candidate_id: int) -> None:
        at = self.who.findData(candidate_id)
        if at >= 0:
            self.who.setCurrentIndex(at)

    def _chosen(self) -> int | None:
        key = self._standing.key if self._standing is not None else ""
        return next((one.candidate_id for one in decisions(self._state.project.documents) if one.role == key), None)

    def _row(self) -> Row | None:
        found = self._standing
        return found.rows.get(self.who.currentData() or 0) if found is not None else None

    def _say_against(self) -> None:
        row, standing = self._row(), self._standing
        against = what_stands_against(row) if row is not None else []
        role = standing is not None and standing.role is not None
        says = tr("Stands against it: ") + "; ".join(against) if against else ""
        self._against.setText(says if role else tr("No role is for this language: add one under Roles."))
        self._against.setVisible(bool(self._against.text()))
        self.choose.setEnabled(role and row is not None and not against)
        self.nobody.setEnabled(role)
        self.why_not.setEnabled(self._compared_with() is not None)
        self.state_it.setVisible(self._unknown() is not None)

    def _compared_with(self) -> int | None:
        """The one that is chosen, or leads; where that is the named one, the next."""
        if self._standing is None or self._row() is None:
            return None
        named, chosen = self.who.currentData(), self._chosen()
        able = [one.candidate_id for one in self._standing.ranking if one.candidate_id != named]
        return chosen if chosen in able else next(iter(able), None)

    def ask_why_not(self) -> None:
        other = self._compared_with()
        if self._standing is not None and other is not None:
            BesideDialog(self, self._standing, other, self.who.currentData()).show()

    def _unknown(self) -> tuple[Row, Gate] | None:
        """The first must-have of the named candidate that somebody can state."""
        row = self._row()
        gate = next((one for one in row.gates if one.fact is not None), None) if row is not None else None
        return None if row is None or gate is None else (row, gate)

    def ask_what_is_unknown(self) -> None:
        """Rights stand with a plan, and are entered with its price; other facts, and those of a file's plan, alone."""
        found = self._unknown()
        if found is None:
            return
        row, gate = found
        assert gate.fact is not None
        about, item = gate.fact
        engine = self._state.bench.engines[row.candidate.engine]
        own = {plan.name: plan for plan in self._state.project.shortlist.stated_plans(engine.engine)}
        if about == "plan" and (not item or item in own):
            PriceDialog(self, self._state, engine, self._state.refresh, own.get(item)).show()
        else:
            StatementDialog(self, self._state, engine, self._state.refresh, (about, item, gate.name)).show()

    def decide(self, *, though_unheard: bool = False, nobody: bool = False) -> None:
        found, standing, candidate_id = self._state.evaluation, self._standing, self.who.currentData()
        if found is None or standing is None or standing.role is None or (candidate_id is None and not nobody):
            return
        chosen = None if nobody else candidate_id
        try:
            decision = decide(
                self._state.project, found, role=standing.role.id, candidate_id=chosen, why=self.why.text(),
                by=self.by.text(), runner_up_id=None if chosen is None else suggest_runner_up(standing, chosen),
                though_unheard=though_unheard, may_reopen=self.may_reopen.text(), look_again=self.look_again.text(),
            )  # fmt: skip
        except NobodyHeardIt as error:
            question(
                self, tr("Nobody has heard it"), error.what,
                tr("No listener has rated this voice in a test that is over."),
                tr("Choose it all the same"), tr("Not now"), lambda: self.decide(though_unheard=True),
            ).open()  # fmt: skip
            return
        except ZestError as error:
            self._state.complain(error)
            return
        for edit in (self.why, self.may_reopen, self.look_again):
            edit.clear()
        who = found.rows[chosen].name if chosen is not None else tr("Nobody")
        self._state.say(tr("{name} is the {role}.", name=who, role=decision.called(found.brief)))
        self._state.refresh()
        self.show_decided()

    def take_back(self, role: str) -> None:
        take_back(self._state.project, role)
        self._state.refresh()
        self.show_decided()

    def ask_for_sheet(self, role: str) -> None:
        project = self._state.project
        found = project.brief.role(role)
        if found is None:
            return
        usual = project.folder / "exports" / f"{found.id}.yaml"
        name, _ = QFileDialog.getSaveFileName(self, tr("Production sheet"), str(usual), "YAML (*.yaml);;JSON (*.json)")
        if name:
            self.write_sheet(role, Path(name))

    def write_sheet(self, role: str, path: Path) -> None:
        """Write a role's production sheet, as JSON where the name says so."""
        project = self._state.project
        found = project.brief.role(role)
        try:
            if found is not None:
                sheet = sheet_of(project, found, output=OUTPUT.read(project.documents))
                text = sheet.as_json() if path.suffix.lower() == ".json" else sheet.as_yaml()
                path.parent.mkdir(parents=True, exist_ok=True)
                write_text(path, text, kept=tr("Nothing was written."))
                self._state.say(tr("Written: {name} in {parent}.", name=path.name, parent=path.parent))
        except ZestError as error:
            self._state.complain(error)

    # -- what is decided

    def show_decided(self) -> None:
        """What stands of all roles, what has changed since, and what the set costs."""
        _empty(self._decided)
        found = self._state.evaluation
        if found is None:
            return
        decided = decisions(self._state.project.documents)
        order = [one.key for one in found.standings]
        for decision in sorted(decided, key=lambda one: order.index(one.role) if one.role in order else len(order)):
            self._decided.addSpacing(theme.px(6))
            standing = found.standing(decision.role)
            row = (standing.rows if standing is not None else found.rows).get(decision.candidate_id or 0)
            name = f"{row.name}, {row.detail}" if row else tr("no longer on the shortlist")
            if decision.candidate_id is None:
                name = tr("nobody is good enough")
            head = QHBoxLayout()
            head.setSpacing(theme.px(14))
            words = f"{decision.title(found.brief)}: {name}"
            head.addWidget(button(words, partial(self._go_to, decision.role), role="link"))
            head.addWidget(button(tr("Take it back"), partial(self.take_back, decision.role), role="link"))
            if row is not None and standing is not None:
                sheet = partial(self.ask_for_sheet, decision.role)
                tip = tr("All that makes the same sound again, as a file")
                head.addWidget(button(tr("Production sheet …"), sheet, role="link", tip=tip))
            head.addStretch(1)
            self._decided.addLayout(head)
            self._decided.addWidget(label(f"{decision.why} ({_signed(decision)})", "quiet", wrap=True))
            for said in changed_since(decision, found):
                self._decided.addWidget(label(said, "bad", wrap=True))
        together = chosen_set(found, decided)
        if words := together.says():
            self._decided.addSpacing(theme.px(6))
            self._decided.addWidget(label(words, "strong", wrap=True))
        for said in together.remarks:
            self._decided.addWidget(label(said, "quiet", wrap=True))


def _signed(decision: Decision) -> str:
    parts = [decision.decided[:10], decision.by]
    parts += [tr("reopened by {who}", who=decision.may_reopen)] if decision.may_reopen else []
    parts += [tr("look again on {day}", day=decision.look_again)] if decision.look_again else []
    return ", ".join(part for part in parts if part)


def _empty(layout: QVBoxLayout | QHBoxLayout) -> None:
    while (item := layout.takeAt(0)) is not None:
        if (widget := item.widget()) is not None:
            widget.hide()
            widget.deleteLater()
        elif isinstance(inner := item.layout(), QVBoxLayout | QHBoxLayout):
            _empty(inner)
            inner.deleteLater()
