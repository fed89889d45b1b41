"""Step 8, choice: role by role: what can be said, the map beside the ranking, and the decision with its reason."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from PyQt6.QtCore import QUrl
from PyQt6.QtGui import QDesktopServices
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from zestpanel.core.choice.criteria import in_ranking
from zestpanel.core.choice.fairness import by_engine, not_alike
from zestpanel.core.choice.ranking import Ranked, chance_in_words
from zestpanel.core.choice.row import Row
from zestpanel.core.choice.standing import Standing
from zestpanel.core.choice.verdict import verdict
from zestpanel.core.evidence.registry import known_to
from zestpanel.core.report.drawing import Picture
from zestpanel.core.report.record import Written, write_record
from zestpanel.core.report.tables import evidence_table
from zestpanel.core.report.trade_off import ACROSS, UP, not_on_the_map, trade_off_picture
from zestpanel.core.table_rows import as_tsv
from zestpanel.core.texts import capital, some_of, tr, word
from zestpanel.desk.charts.view import ChartView
from zestpanel.desk.flow import FlowLayout, as_high_as_it_takes
from zestpanel.desk.pages.choice.deciding import Deciding
from zestpanel.desk.pages.choice.records import RecordsDialog
from zestpanel.desk.pages.choice.roles import RolesDialog
from zestpanel.desk.pages.choice.weighing import Weighing
from zestpanel.desk.pages.choice.weights import WeightsDialog
from zestpanel.desk.pages.page import Page
from zestpanel.desk.plain_tips import plain_tip
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.widgets import EmptyState, button, label

_MUSTS = 4  # the column of must-haves
MOST_MISSING = 6  # candidates that the map lacks and the line below it names


class ChoicePage(Page):
    title = tr("Choice")
    about = ""

    def __init__(self, state: DeskState) -> None:
        super().__init__(state)
        self.head.addWidget(button(tr("Copy evidence table"), self.copy_table))
        self.head.addWidget(button(tr("Records …"), self.open_records, tip=tr("Decision records that were written")))
        self.head.addWidget(button(tr("Write decision record"), self.write, role="main"))
        self._roles = QWidget()
        self._tabs = FlowLayout(self._roles)
        as_high_as_it_takes(self._roles)
        self.tabs: dict[str, QPushButton] = {}
        self._key = ""  # of the standing that is shown
        self.body.addWidget(self._roles)
        self.verdict = label("", "name", wrap=True)
        self.body.addWidget(self.verdict)
        self.weighing = Weighing(state, self._show_order, self.ask_for_weights)
        self.body.addWidget(self.weighing)
        across = QHBoxLayout()
        across.setSpacing(20)
        across.addLayout(self._map_side(), 3)
        right = QVBoxLayout()
        self.table = Table()
        self.table.setAccessibleName(tr("Ranking"))
        self.table.itemSelectionChanged.connect(self._row_marked)
        right.addWidget(self.table)
        self._not_alike = label("", "small", wrap=True)
        right.addWidget(self._not_alike)
        self._firm = label("", "small", wrap=True)
        right.addWidget(self._firm)
        right.addStretch(1)
        across.addLayout(right, 5)
        self.body.addLayout(across)
        self.deciding = Deciding(state, self.show_role)
        self.body.addWidget(self.deciding)
        self.body.addStretch(1)
        self._order: list[int] = []
        self.last_written: Written | None = None

    def _map_side(self) -> QVBoxLayout:
        left = QVBoxLayout()
        axes = QHBoxLayout()
        self.up, self.across = QComboBox(), QComboBox()
        for box, name, words in ((self.up, UP, tr("Upwards")), (self.across, ACROSS, tr("Across"))):
            self._fill(box, name)
            box.setAccessibleName(words)
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(6)
            box.currentIndexChanged.connect(self._show_map)
        axes.addWidget(self.up, 1)
        axes.addWidget(label(tr("against"), "quiet"))
        axes.addWidget(self.across, 1)
        left.addLayout(axes)
        self.chart = ChartView(self._map, least=230, aside=self.state.aside)
        self.chart.candidate_chosen.connect(self._pick)
        left.addWidget(self.chart)
        self._not_placed = label("", "small", wrap=True)
        left.addWidget(self._not_placed)
        left.addStretch(1)
        return left

    def _fill(self, box: QComboBox, name: str, tested: Iterable[str] = ()) -> None:
        """All figures; tested: what listening tests say, of questions of the lead's own, too."""
        every = known_to(tested)
        if [box.itemData(k) for k in range(box.count())] != [one.name for one in every]:
            box.blockSignals(True)
            box.clear()
            for figure in every:
                box.addItem(capital(word(figure.words)), figure.name)
            box.setCurrentIndex(max(0, box.findData(name)))
            box.blockSignals(False)

    # -- which role

    @property
    def standing(self) -> Standing | None:
        """The one that is shown."""
        return self.state.evaluation.standing(self._key) if self.state.evaluation is not None else None

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
        if found.standing(self._key) is None:
            self._key = found.standings[0].key
        self._show_tabs([(one.key, one.name, bool(one.rows)) for one in found.standings])
        self._show()

    def _show_tabs(self, roles: list[tuple[str, str, bool]]) -> None:
        filled = self.state.bench.decided
        if list(self.tabs) != [key for key, _, _ in roles]:
            while (item := self._tabs.takeAt(0)) is not None:
                if (widget := item.widget()) is not None:
                    widget.deleteLater()
            self.tabs = {}
            for key, name, _ in roles:
                tab = button(name, lambda at=key: self.show_role(at), role="tab")  # type: ignore[misc]
                tab.setCheckable(True)
                self.tabs[key] = tab
                self._tabs.addWidget(tab)
            self._tabs.addWidget(
                button(tr("Roles …"), self.ask_for_roles, tip=tr("Which there are, and what each asks"))
            )
        for key, name, _ in roles:
            tab = self.tabs[key]
            tab.setText((f"{name} ✓" if key in filled else name).replace("&", "&&"))
            tab.setChecked(key == self._key)
            tab.setAccessibleName(tr("{name}, filled", name=name) if key in filled else name)

    def show_role(self, key: str) -> None:
        """Show a role by its id, or a language that no role is for."""
        self.weighing.keep()
        self._key = key
        self.refresh()

    def _show(self) -> None:
        standing = self.standing
        if standing is None:
            return
        self.weighing.show_of(standing)
        tested = [name for row in standing.rows.values() for _, name in row.tests]
        for box in (self.up, self.across):
            self._fill(box, box.currentData(), tested)
        self._show_order(standing)
        self.verdict.setText(verdict(standing))
        engines = by_engine(standing)
        said = not_alike(standing)
        if len(engines) > 1:
            said.append(tr("By engine, mean of the best three: {lines}.", lines="; ".join(e.says() for e in engines)))
        self._not_alike.setText(" ".join(said))
        self._not_alike.setVisible(bool(said))
        self._show_map()
        self.deciding.show_of(standing)

    # -- the map

    def _map(self, width: float) -> Picture | None:
        standing = self.standing
        if standing is None:
            return None
        chosen = self.deciding.who.currentData()
        return trade_off_picture(standing, across=self.across.currentData(), up=self.up.currentData(), width=width,
                                 height=300, chosen=() if chosen is None else (chosen,))  # fmt: skip

    def _show_map(self) -> None:
        standing = self.standing
        if standing is None:
            return
        self.chart.refresh_for(len(standing.ranking))
        missing = not_on_the_map(standing, across=self.across.currentData(), up=self.up.currentData())
        said = tr("Not on the map: {missing}.", missing=some_of(missing, MOST_MISSING)) if missing else ""
        self._not_placed.setText(said)
        self._not_placed.setToolTip(plain_tip("\n".join(missing)) if len(missing) > MOST_MISSING else "")

    def _pick(self, candidate_id: int) -> None:
        """Name a candidate in the form."""
        self.deciding.name_candidate(candidate_id)
        if candidate_id in self._order:
            self.table.selectRow(self._order.index(candidate_id))

    # -- the ranking

    def _show_order(self, standing: Standing) -> None:
        """The ranking as it stands, or as weights that are being moved would have it."""
        shown = in_ranking(standing.criteria)
        rows, bad, tips = [], [], {}
        self._order = [r.candidate_id for r in standing.ranking]
        for index, ranked in enumerate(standing.ranking):
            row = standing.rows[ranked.candidate_id]
            cells, warn = _ranking_row(ranked, row, [one.cell(row, standing.scored, standing.brief) for one in shown])
            rows.append(cells)
            bad += [(index, column) for column in warn]
            tips[(index, _MUSTS)] = "\n".join(f"{g.name}: {g.verdict} ({g.why})" for g in row.gates)
            if row.score is not None and row.score.preliminary:
                tips[(index, _MUSTS + 1)] = tr(
                    "preliminary: {why_preliminary}", why_preliminary=row.score.why_preliminary
                )
        head = ["", tr("Candidate"), tr("total"), tr("first place"), tr("must-haves"),
                *(word(one.words) for one in shown)]  # fmt: skip
        self.table.show_rows(head, rows, numbers=[0, 2, 3, *range(5, 5 + len(shown))], bad=bad, tips=tips)
        self.table.setColumnWidth(_MUSTS, min(self.table.columnWidth(_MUSTS), theme.px(150)))
        self.table.setFixedHeight(self.table.height_for_rows())
        self._firm.setText(self._how(standing))

    @staticmethod
    def _how(standing: Standing) -> str:
        said = tr(
            "Total: weighted mean of utilities from 0 (not acceptable) to 1 (as good as it need be); "
            "a span where evidence is missing. First place: how often a candidate leads when "
            "listeners, passages and weights are drawn anew, the same for all. Equal means within "
            "{equal_within} of a category of the best score, shown by test. Equal totals share a "
            "place.",
            equal_within=standing.brief.equal_within,
        )
        role = standing.role
        if role is not None and role.share_percent not in (0, 100):
            share, minutes = role.share_percent, standing.brief.minutes_per_month * role.share_percent / 100
            said += tr(" Money is of {share} % of the channel's minutes, {minutes} a month.",
                       share=f"{share.normalize():f}", minutes=f"{minutes.normalize():f}")  # fmt: skip
        if role is not None and role.share_percent == 0:
            said += tr(" It says nothing in a usual month: money is of a month in which it says everything.")
        return said

    def _row_marked(self) -> None:
        marked = {index.row() for index in self.table.selectedIndexes()}
        if len(marked) == 1 and (row := marked.pop()) < len(self._order):
            self.deciding.name_candidate(self._order[row])

    # -- what can be done

    def ask_for_weights(self) -> None:
        self.weighing.keep()
        standing = self.standing
        WeightsDialog(self, self.state, standing.role if standing else None, self.state.refresh).show()

    def ask_for_roles(self) -> None:
        self.weighing.keep()
        RolesDialog(self, self.state, lambda: None, self._key).show()

    def copy_table(self) -> None:
        from PyQt6.QtGui import QGuiApplication

        clipboard = QGuiApplication.clipboard()
        if self.state.evaluation is not None and clipboard is not None:
            clipboard.setText(as_tsv(evidence_table(self.state.evaluation)))
            self.state.say(tr("The evidence table is on the clipboard."))

    def write(self) -> None:
        """Write the decision record and its tables into the project's exports."""
        project = self.state.project

        def done(written: Written) -> None:
            self.last_written = written
            self.state.say(
                tr(
                    "Written: {name}, {tables} in {parent}.",
                    name=written.record.name,
                    tables=", ".join(table.name for table in written.tables),
                    parent=written.record.parent,
                )
            )
            self.show_record(written.record)

        self.state.background.run(lambda: write_record(project), done, self.state.complain)

    def open_records(self) -> None:
        RecordsDialog(self, self.state.project.folder / "exports", self.show_record).show()

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
        tr("the only one") if ranked.alone else "–" if ranked.first is None else chance_in_words(ranked.first),
        "\n".join([gate, *row.rights]),
        *figures_of,
    ]
    warn = [column for column, text in enumerate(cells) if text in (word("missing"), word(row.unheard))]
    warn += [_MUSTS] if failing else []
    return cells, warn
