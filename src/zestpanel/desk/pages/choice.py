"""Step 8, choice: gates, weights, the trade-off, and the decision with its reason."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt, QUrl
from PyQt6.QtGui import QDesktopServices
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QSpinBox, QVBoxLayout, QWidget

from zestpanel.core.choice.criteria import CRITERIA, SetTo, bounds_in_words, in_ranking
from zestpanel.core.choice.decision import NobodyHeardIt, decide, decisions, suggest_runner_up, what_stands_against
from zestpanel.core.choice.gates import Gate
from zestpanel.core.choice.ranking import Ranked, chance_in_words
from zestpanel.core.choice.row import Row
from zestpanel.core.choice.verdict import verdict
from zestpanel.core.domain.brief import ROLES
from zestpanel.core.errors import ZestError
from zestpanel.core.evidence.registry import figures, weighable
from zestpanel.core.languages import language_name
from zestpanel.core.report.drawing import Picture
from zestpanel.core.report.pictures import trade_off_picture
from zestpanel.core.report.record import Written, write_record
from zestpanel.core.report.tables import evidence_table
from zestpanel.core.table_rows import as_tsv
from zestpanel.core.texts import some_of, tr, word
from zestpanel.desk.charts.view import ChartView
from zestpanel.desk.flow import flow_row
from zestpanel.desk.pages.engines.notes import StatementDialog
from zestpanel.desk.pages.engines.price import PriceDialog
from zestpanel.desk.pages.page import Page
from zestpanel.desk.pages.records import RecordsDialog
from zestpanel.desk.pages.renders.questions import question
from zestpanel.desk.pages.roles import RolesDialog
from zestpanel.desk.pages.weights import WeightsDialog
from zestpanel.desk.plain_tips import plain_tip
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.widgets import EmptyState, button, label

MOST_MISSING = 6  # candidates that the map lacks and the line below it names


class ChoicePage(Page):
    title = tr("Choice")
    about = tr("Must-haves first, then weights. Nothing is judged for you: every exclusion names its fact.")

    def __init__(self, state: DeskState) -> None:
        super().__init__(state)
        self.head.addWidget(button(tr("Copy evidence table"), self.copy_table))
        self.head.addWidget(button(tr("Records …"), self.open_records, tip=tr("Decision records that were written")))
        self.head.addWidget(button(tr("Write decision record"), self.write, role="main"))
        weights: list[QWidget] = [label(tr("Weights"), "strong")]
        self.weights: dict[str, QSpinBox] = {}
        self._beside: dict[str, QWidget] = {}
        for figure in weighable():
            box = QSpinBox()
            box.setRange(0, 100)
            box.setAccessibleName(tr("Weight of {words}", words=word(figure.words)))
            box.editingFinished.connect(self._weights_changed)
            self.weights[figure.name], self._beside[figure.name] = box, label(word(figure.words))
            weights += [self._beside[figure.name], box]
        weights.append(button(tr("Weights and bounds …"), self.ask_for_weights, role="link",
                              tip=tr("Other figures, and from where to where they count")))  # fmt: skip
        self._language = ""  # the one shown
        self.language = QComboBox()
        self.language.setAccessibleName(tr("Language"))
        self.language.setToolTip(tr("Candidates of two languages never compete"))
        self.language.currentIndexChanged.connect(self._show_language)
        self.body.addWidget(flow_row(*weights, right=(self.language,)))
        self.verdict = label("", "name", wrap=True)
        self.body.insertWidget(0, self.verdict)
        self._bounds = label("", "small", wrap=True)
        self.body.addWidget(self._bounds)
        across = QHBoxLayout()
        across.setSpacing(24)
        left = QVBoxLayout()
        left.addWidget(label(tr("Quality against cost; hollow ones miss a must-have"), "strong"))
        self.chart = ChartView(self._map, aside=state.aside)
        self.chart.candidate_chosen.connect(self._pick)
        left.addWidget(self.chart)
        self._not_placed = label("", "small", wrap=True)
        left.addWidget(self._not_placed)
        left.addStretch(1)
        across.addLayout(left, 3)
        across.addLayout(self._decision_form(), 2)
        self.body.addLayout(across)
        self.table = Table()
        self.table.setAccessibleName(tr("Ranking"))
        self.body.addWidget(self.table)
        self._firm = label("", "small", wrap=True)
        self.body.addWidget(self._firm)
        self.body.addStretch(1)
        self._order: list[int] = []
        self.last_written: Written | None = None

    def _decision_form(self) -> QVBoxLayout:
        form = QVBoxLayout()
        form.setSpacing(8)
        form.addWidget(label(tr("Decide"), "strong"))
        self.role, self.who, self.why, self.by = QComboBox(), QComboBox(), QLineEdit(), QLineEdit()
        self.role.addItems(self.state.project.brief.roles or ROLES)
        self.role.setAccessibleName(tr("Role"))
        self.who.setAccessibleName(tr("Candidate"))
        self.why.setPlaceholderText(tr("why, in a sentence"))
        self.by.setPlaceholderText(tr("decided by"))
        row = QHBoxLayout()
        row.addWidget(self.role, 1)
        row.addWidget(button(tr("Roles …"), self.ask_for_roles, tip=tr("Names and order of the roles")))
        row.addWidget(self.who, 2)
        form.addLayout(row)
        form.addWidget(self.why)
        last = QHBoxLayout()
        last.addWidget(self.by, 1)
        self.choose = button(tr("Choose"), lambda: self.decide(), role="main")
        last.addWidget(self.choose)
        form.addLayout(last)
        self._against = label("", "bad", wrap=True)
        form.addWidget(self._against)
        self.state_it = button(tr("State what is not known …"), self.ask_what_is_unknown,
                               tip=tr("With where it stands, and when you read it"))  # fmt: skip
        form.addWidget(self.state_it, 0, Qt.AlignmentFlag.AlignLeft)
        self._decided = QVBoxLayout()
        form.addLayout(self._decided)
        form.addStretch(1)
        self.who.currentIndexChanged.connect(self._say_against)
        return form

    def refresh(self) -> None:
        if self.cover_names():
            return
        found = self.state.evaluation
        if found is None:
            return
        if not found.rows:
            self.set_empty(
                EmptyState(
                    tr("There is nothing to choose from yet."), tr("Engines & voices"), lambda: self.go_to("engines")
                )
            )
            return
        self.set_empty(None)
        for criterion in found.criteria:
            box = self.weights[criterion.name]
            if not box.hasFocus():
                box.setValue(round(criterion.weight))
            start = figures()[criterion.name].start
            usual = start is not None and start(found.brief).weight > 0
            for widget in (box, self._beside[criterion.name]):
                widget.setVisible(usual or criterion.weight > 0)
        self._bounds.setText(bounds_in_words(found.criteria, found.brief))
        languages, before = found.languages(), self.language.currentData()
        self.language.blockSignals(True)
        self.language.clear()
        for tag in languages:
            self.language.addItem(language_name(tag), tag)
        self.language.setCurrentIndex(max(0, self.language.findData(before)))
        self.language.setVisible(len(languages) > 1)
        self.language.blockSignals(False)
        self._show_language()
        self._show_decided()

    def _map(self, width: float) -> Picture | None:
        found, language = self.state.evaluation, self._language
        return trade_off_picture(found, language=language, width=width, height=300) if found and language else None

    def _show_language(self) -> None:
        """The ranking, the map and who may be chosen within one language."""
        found, language = self.state.evaluation, self.language.currentData()
        if found is None or language is None:
            return
        self._language = str(language)
        self.verdict.setText(verdict(found, language))
        shown = in_ranking(found.criteria)
        scored = found.scores.of_language(language)
        rows, bad, tips = [], [], {}
        ranking = found.ranking_in(language)
        self._order = [r.candidate_id for r in ranking]
        for index, ranked in enumerate(ranking):
            row = found.rows[ranked.candidate_id]
            score = found.score_in(ranked.candidate_id, language)
            cells, warn = _ranking_row(ranked, row, [one.cell(row, scored, found.brief) for one in shown])
            rows.append(cells)
            bad += [(index, column) for column in warn]
            last = len(cells) - 1
            tips[(index, last)] = "\n".join(f"{g.name}: {g.verdict} ({g.why})" for g in row.gates)
            if score is not None and score.preliminary:
                tips[(index, 3)] = tr("preliminary: {why_preliminary}", why_preliminary=score.why_preliminary)
        self.table.show_rows(
            [
                "",
                tr("Candidate"),
                tr("total"),
                *(word(one.words) for one in shown),
                tr("first place"),
                tr("must-haves"),
            ],
            rows,
            numbers=[0, *range(2, 4 + len(shown))],
            bad=bad,
            tips=tips,
        )
        self.table.setFixedHeight(self.table.height_for_rows())
        weighed = any(c.weight > 0 for c in found.criteria)
        self._firm.setText(
            tr(
                "Total: weighted mean of utilities from 0 (not acceptable) to 1 (as good as it need be); "
                "a span where evidence is missing. First place: how often a candidate leads when "
                "listeners, passages and weights are drawn anew, the same for all. Equal means within "
                "{equal_within} of a category of the best score, shown by test. Equal totals share a "
                "place.",
                equal_within=found.brief.equal_within,
            )
            if weighed
            else tr("All weights are 0: nobody is placed.")
        )
        self.chart.refresh_for(len(ranking))
        missing = [f"{row.name} ({why})" for row, why in found.not_placed() if row.language == language]
        said = tr("Not on the map: {missing}.", missing=some_of(missing, MOST_MISSING)) if missing else ""
        self._not_placed.setText(said)
        self._not_placed.setToolTip(plain_tip("\n".join(missing)) if len(missing) > MOST_MISSING else "")
        chosen = self.who.currentData()
        self.who.blockSignals(True)
        self.who.clear()
        for candidate_id in self._order:
            row = found.rows[candidate_id]
            self.who.addItem(f"{row.name}, {row.detail}", candidate_id)
        self.who.setCurrentIndex(max(0, self.who.findData(chosen)))
        self.who.blockSignals(False)
        self._say_against()

    def _weights_changed(self) -> None:
        stored = dict(CRITERIA.read(self.state.project.documents))
        for name, box in self.weights.items():
            stored[name] = stored.get(name, SetTo()).model_copy(update={"weight": float(box.value())})
        if self.state.evaluation and any(
            round(c.weight) != self.weights[c.name].value() for c in self.state.evaluation.criteria
        ):
            self.state.project.edit_document(CRITERIA, stored, label=tr("weights"))
            self.state.refresh()

    def ask_for_weights(self) -> None:
        WeightsDialog(self, self.state, self.state.refresh).show()

    def _pick(self, candidate_id: int) -> None:
        """Name a candidate in the form; it may be of another language than the one shown."""
        row = self.state.evaluation.rows.get(candidate_id) if self.state.evaluation else None
        if row is not None and row.language != self.language.currentData():
            self.language.setCurrentIndex(max(0, self.language.findData(row.language)))
        self.who.setCurrentIndex(max(0, self.who.findData(candidate_id)))

    def _say_against(self) -> None:
        found, candidate_id = self.state.evaluation, self.who.currentData()
        against = what_stands_against(found.rows[candidate_id]) if found and candidate_id in found.rows else []
        self._against.setText(tr("Stands against it: ") + "; ".join(against) if against else "")
        self.choose.setEnabled(not against and found is not None)
        self.state_it.setVisible(self._unknown() is not None)

    def _unknown(self) -> tuple[Row, Gate] | None:
        """The first must-have of the named candidate that somebody can state."""
        found, candidate_id = self.state.evaluation, self.who.currentData()
        row = found.rows.get(candidate_id) if found is not None else None
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
        engine = self.state.bench.engines[row.candidate.engine]
        own = {plan.name: plan for plan in self.state.project.shortlist.stated_plans(engine.engine)}
        if about == "plan" and (not item or item in own):
            PriceDialog(self, self.state, engine, self.state.refresh, own.get(item)).show()
        else:
            StatementDialog(self, self.state, engine, self.state.refresh, (about, item, gate.name)).show()

    def decide(self, *, though_unheard: bool = False) -> None:
        found, candidate_id = self.state.evaluation, self.who.currentData()
        if found is None or candidate_id is None:
            return
        try:
            decision = decide(
                self.state.project,
                found,
                role=self.role.currentText(),
                candidate_id=candidate_id,
                why=self.why.text(),
                by=self.by.text(),
                runner_up_id=suggest_runner_up(found, candidate_id),
                though_unheard=though_unheard,
            )
        except NobodyHeardIt as error:
            question(
                self, tr("Nobody has heard it"), error.what, tr("No listener has rated this voice in a test."),
                tr("Choose it all the same"), tr("Not now"), lambda: self.decide(though_unheard=True),
            ).open()  # fmt: skip
            return
        except ZestError as error:
            self.state.complain(error)
            return
        self.why.clear()
        self.state.say(tr("{name} is the {role}.", name=found.rows[candidate_id].name, role=decision.role))
        self.state.refresh()
        self._show_decided()

    def _show_decided(self) -> None:
        while (item := self._decided.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.deleteLater()
        found = self.state.evaluation
        for decision in decisions(self.state.project.documents):
            row = found.rows.get(decision.candidate_id) if found else None
            name = f"{row.name}, {row.detail}" if row else tr("no longer on the shortlist")
            self._decided.addSpacing(theme.px(6))
            self._decided.addWidget(label(f"{decision.role}: {name}", "strong", wrap=True))
            by = f"{decision.decided[:10]}" + (f", {decision.by}" if decision.by else "")
            self._decided.addWidget(label(f"{decision.why} ({by})", "quiet", wrap=True))
            if row and (against := what_stands_against(row)):
                self._decided.addWidget(
                    label(tr("It would not be chosen today: {against}.", against=against[0]), "bad", wrap=True)
                )

    def copy_table(self) -> None:
        from PyQt6.QtGui import QGuiApplication

        clipboard = QGuiApplication.clipboard()
        if self.state.evaluation is not None and clipboard is not None:
            clipboard.setText(as_tsv(evidence_table(self.state.evaluation)))
            self.state.say(tr("The evidence table is on the clipboard."))

    def write(self) -> None:
        """Write the decision record and its table into the project's exports."""
        project = self.state.project

        def done(written: Written) -> None:
            self.last_written = written
            self.state.say(
                tr(
                    "Written: {name} and {name2} in {parent}.",
                    name=written.record.name,
                    name2=written.tables[0].name,
                    parent=written.record.parent,
                )
            )
            self.show_record(written.record)

        self.state.background.run(lambda: write_record(project), done, self.state.complain)

    def open_records(self) -> None:
        RecordsDialog(self, self.state.project.folder / "exports", self.show_record).show()

    def ask_for_roles(self) -> None:
        RolesDialog(self, self.state, self._fill_roles).show()

    def _fill_roles(self) -> None:
        now = self.role.currentText()
        self.role.clear()
        self.role.addItems(self.state.project.brief.roles or ROLES)
        self.role.setCurrentText(now)

    def show_record(self, path: Path) -> None:
        QDesktopServices.openUrl(QUrl.fromLocalFile(str(path)))


def _ranking_row(ranked: Ranked, row: Row, figures_of: list[str]) -> tuple[list[str], list[int]]:
    """Cells of one line, and the columns to be shown as warnings."""
    if ranked.total is None:
        total = word("missing")
    elif ranked.missing:
        total = f"{ranked.low:.2f}–{ranked.high:.2f}"
    else:
        total = f"{ranked.total:.2f}"
    if row.as_good_as_best is not None and row.as_good_as_best.equal and ranked.language == row.language:
        first, newline, rest = figures_of[0].partition("\n")  # quality leads
        figures_of = [first + tr(" equal") + newline + rest, *figures_of[1:]]
    failing = [g for g in row.gates if g.verdict != "yes"]
    gate = tr("all met") if not failing else "; ".join(f"{word(g.verdict)}: {word(g.name)}" for g in failing)
    cells = [
        "–" if ranked.place is None else str(ranked.place),
        f"{row.name}\n{row.detail}",
        total,
        *figures_of,
        tr("the only one") if ranked.alone else "–" if ranked.first is None else chance_in_words(ranked.first),
        "\n".join([gate, *row.rights]),
    ]
    warn = [column for column, text in enumerate(cells) if text in (word("missing"), word("nobody has heard this"))]
    warn += [len(cells) - 1] if failing or row.rights else []
    return cells, warn
