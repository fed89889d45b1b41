"""A plan put together line by line as a price list says it, with its curve and three worked months beside it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import date
from decimal import Decimal
from functools import partial
from typing import Final

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QMenu,
    QPlainTextEdit,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from zestpanel.core.catalogue.fact_list import BY_NAME
from zestpanel.core.catalogue.facts import Engine, Plan
from zestpanel.core.catalogue.stated_plan import LIMITS, TypedPlan, as_typed, stated_plan
from zestpanel.core.clock import today
from zestpanel.core.connectors.agreed import agree_to_prices
from zestpanel.core.domain.money import Money
from zestpanel.core.errors import InputError
from zestpanel.core.money.components import KINDS
from zestpanel.core.money.components.part import Typed
from zestpanel.core.money.curve import month_curve
from zestpanel.core.money.typed_parts import fresh
from zestpanel.core.money.volume import Rates
from zestpanel.core.money.worked import worked_months
from zestpanel.core.report.charts import Curve, volume_chart
from zestpanel.core.report.drawing import Picture
from zestpanel.core.texts import capital, tr, word
from zestpanel.core.typed import typed_date
from zestpanel.desk.charts.view import ChartView
from zestpanel.desk.pages.engines.notes import KeepingDialog
from zestpanel.desk.pages.engines.price_line import LineEditor
from zestpanel.desk.state import DeskState
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.widgets import button, label, open_at
from zestpanel.desk.word_box import add_words, choose_word, chosen_word

# limits as they stand beside their fields
_SHORT: Final = {
    "characters_per_request": tr("characters"), "requests_at_once": tr("at once"),
    "requests_per_minute": tr("a minute"),
}  # fmt: skip
_FIRST = ("subscription", "allowance", "per unit")  # what a plan most often has (common practice, no source)


class PriceDialog(KeepingDialog):
    """plan: one to begin with; new: it is to stand beside those there are, and not instead of it."""

    def __init__(
        self, parent: QWidget, state: DeskState, engine: Engine, done: Callable[[], None], plan: Plan | None = None,
        *, new: bool = False,
    ) -> None:  # fmt: skip
        super().__init__(parent, done)
        self._state, self._engine = state, engine
        self._before = None if new else plan
        typed = as_typed(plan) if plan is not None else TypedPlan(
            name=tr("Standard"), currency=state.project.brief.currency, dated=today(),
            lines=tuple(fresh(kind) for kind in _FIRST),
        )  # fmt: skip
        if new and plan is not None:
            typed = replace(typed, name=tr("{name}, as we pay", name=plan.name))
        self._counting = typed.counting
        self._curve: Plan | None = None
        self.setWindowTitle(tr("A price of {engine}", engine=engine.engine))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.addWidget(label(tr("A price of {engine}", engine=engine.engine), "name"))
        across = QHBoxLayout()
        across.setSpacing(20)
        across.addWidget(self._left(typed), 6)
        across.addWidget(self._right(), 5)
        layout.addLayout(across, 1)
        layout.addWidget(self.wrong)
        foot = QHBoxLayout()
        if self._before is not None:
            foot.addWidget(button(tr("Remove this plan"), self._remove))
        foot.addStretch(1)
        foot.addWidget(button(tr("Cancel"), self.reject))
        self.keep_button = button(tr("Keep"), self._keep, role="main")
        self.keep_button.setDefault(True)
        foot.addWidget(self.keep_button)
        layout.addLayout(foot)
        open_at(self, 1120, 700)
        self._tell()

    def _left(self, typed: TypedPlan) -> QWidget:
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 10, 0)
        self.name, self.currency = QLineEdit(typed.name), QLineEdit(typed.currency)
        self.currency.setFixedWidth(theme.px(70))
        head = QHBoxLayout()
        for widget, stretch in (
            (label(tr("Plan")), 0),
            (self.name, 1),
            (label(tr("in"), "quiet"), 0),
            (self.currency, 0),
        ):
            head.addWidget(widget, stretch)
        column.addLayout(head)
        self._lines_column = QVBoxLayout()
        column.addLayout(self._lines_column)
        self.lines: list[LineEditor] = []
        for line in typed.lines:
            self.add_line(line)
        self.more = button(tr("Add a line"), self._ask_for_line)
        column.addWidget(self.more, 0, Qt.AlignmentFlag.AlignLeft)
        form = QFormLayout()
        self.rights: dict[str, QComboBox] = {}
        for name in self._state.project.brief.must_haves:
            if ("plan", name) in BY_NAME:
                box = QComboBox()
                add_words(box, ["not known", "yes", "no"])
                choose_word(box, typed.rights.get(name, "not known"))
                box.setAccessibleName(word(name))
                self.rights[name] = box
                form.addRow(capital(word(name)), box)
        self.source = QLineEdit(typed.source)
        self.source.setPlaceholderText(tr("where it stands: a page, a letter"))
        self.dated, self.again = QLineEdit(_date(typed.dated)), QLineEdit(_date(typed.check_again))
        self.again.setPlaceholderText(tr("such as 2027-02-01"))
        self.limits: dict[str, QLineEdit] = {}
        limits = QHBoxLayout()
        for name, words in LIMITS.items():
            edit = self.limits[name] = QLineEdit(typed.limits.get(name, ""))
            edit.setFixedWidth(theme.px(64))
            edit.setAccessibleName(tr("Limit of the plan: {words}", words=words))
            edit.textChanged.connect(self._tell)
            limits.addWidget(edit)
            limits.addWidget(label(_SHORT[name], "quiet"))
        limits.addStretch(1)
        form.addRow(tr("Limits"), limits)
        form.addRow(tr("Source"), self.source)
        form.addRow(tr("Price of"), self.dated)
        form.addRow(tr("Check again by"), self.again)
        self.pasted = QPlainTextEdit(typed.pasted)
        self.pasted.setPlaceholderText(tr("the price list's own words, pasted: kept as the source"))
        self.pasted.setTabChangesFocus(True)
        self.pasted.setFixedHeight(theme.px(70))
        form.addRow(tr("Price list"), self.pasted)
        column.addLayout(form)
        column.addStretch(1)
        inside.setMinimumWidth(theme.px(500))
        area = QScrollArea()
        area.setMinimumWidth(theme.px(530))
        area.setWidgetResizable(True)
        area.setWidget(inside)
        for edit in (self.name, self.currency):
            edit.textChanged.connect(self._tell)
        return area

    def _right(self) -> QWidget:
        right = QWidget()
        column = QVBoxLayout(right)
        column.setContentsMargins(0, 0, 0, 0)
        self.told = label("", "strong", wrap=True)
        column.addWidget(self.told)
        self.picture = ChartView(self._picture, least=380)
        column.addWidget(self.picture)
        self.months = label("", "small", wrap=True)
        column.addWidget(self.months)
        column.addSpacing(8)
        self.earlier = label(self._earlier_prices(), "small", wrap=True)
        column.addWidget(self.earlier)
        column.addStretch(1)
        return right

    def _earlier_prices(self) -> str:
        """What the plan cost before, the newest first, and what that came to at this channel's volume."""
        if self._before is None:
            return ""
        brief, lines = self._state.project.brief, []
        for one in reversed(self._state.project.shortlist.former_plans(self._engine.engine)):
            if one.plan.name != self._before.name:
                continue
            tariff = one.plan.tariff
            said = "; ".join(part.words(tariff.currency) for part in tariff.components)
            at = tr(", price of {dated}", dated=one.plan.dated) if one.plan.dated is not None else ""
            where = f", {one.plan.source}" if one.plan.source else ""
            curve = month_curve(tariff, Rates(), brief, model=self._engine.models[0].id)
            found = curve.at([Decimal(str(brief.minutes_per_month))])[0] if curve is not None else None
            month = tr(" A month: {money}.", money=Money(found, tariff.currency)) if found is not None else ""
            lines.append(
                tr(
                    "Until {replaced}{at}{where}: {said}.{month}",
                    replaced=one.replaced,
                    at=at,
                    where=where,
                    said=said,
                    month=month,
                )
            )
        return "\n\n".join([tr("Earlier prices:"), *lines]) if lines else ""

    # -- lines

    def add_line(self, typed: Typed) -> LineEditor:
        line = LineEditor(typed)
        line.changed.connect(self._tell)
        line.removed.connect(partial(self._take_away, line))
        self.lines.append(line)
        self._lines_column.addWidget(line)
        return line

    def _take_away(self, line: LineEditor) -> None:
        self.lines.remove(line)
        self._lines_column.removeWidget(line)
        line.hide()
        line.deleteLater()
        self._tell()

    def _ask_for_line(self) -> None:
        menu = QMenu(self)
        for kind, part in KINDS.items():
            menu.addAction(part.title, partial(self._add, kind))
        menu.popup(self.more.mapToGlobal(self.more.rect().bottomLeft()))

    def _add(self, kind: str) -> None:
        line = self.add_line(fresh(kind))
        first = next(iter(line.fields.values()))
        first.setFocus()
        self._tell()

    # -- what it comes to

    def typed(self) -> TypedPlan:
        """What stands in the fields; lines in which nothing was typed are none."""
        return TypedPlan(
            name=self.name.text(),
            currency=self.currency.text(),
            source=self.source.text(),
            lines=tuple(typed for line in self.lines if not _untouched(typed := line.typed())),
            dated=typed_date(self.dated.text(), tr("The date"), past=True),
            check_again=typed_date(self.again.text(), tr("Check again by")),
            rights={name: chosen_word(box) for name, box in self.rights.items()},
            counting=self._counting,
            pasted=self.pasted.toPlainText(),
            limits={name: edit.text() for name, edit in self.limits.items()},
        )

    def _tell(self) -> None:
        """The tariff said back, its curve, and three months of this channel worked out under it."""
        self.wrong.setText("")
        try:
            plan = stated_plan(self.typed())
        except InputError as error:
            self.told.setText(str(error.what))
            self.months.setText("")
            self.keep_button.setEnabled(False)
            self._curve = None
            self.picture.refresh()
            return
        self.keep_button.setEnabled(True)
        self._curve = plan
        brief = self._state.project.brief
        self.told.setText("; ".join(part.words(plan.tariff.currency) for part in plan.tariff.components) + ".")
        worked = worked_months(plan.tariff, Rates(), brief, model=self._engine.models[0].id)
        head = tr("At this channel's volume, 1,000 characters a minute assumed:")
        self.months.setText(
            "\n\n".join(
                [
                    head,
                    *(
                        tr(
                            "{title}, {quantize} finished minutes.\n{one}",
                            title=one.title,
                            quantize=f"{one.minutes.quantize(Decimal(1)):,}",
                            one=one.sum(),
                        )
                        for one in worked
                    ),
                ]
            )
        )
        self.picture.refresh()

    def _picture(self, width: float) -> Picture | None:
        plan, brief = self._curve, self._state.project.brief
        at = float(brief.minutes_per_month)
        if plan is None or at <= 0:
            return None
        curve = month_curve(plan.tariff, Rates(), brief, model=self._engine.models[0].id)
        if curve is None:
            return None
        minutes = [at * 3 * k / 60 for k in range(61)]
        costs = curve.at([Decimal(repr(m)) for m in minutes])
        drawn = Curve(candidate_id=0, label=plan.name, colour="ink", dashed=False,
                      costs=tuple(None if c is None else float(c) for c in costs))  # fmt: skip
        return volume_chart(minutes, [drawn], at=at, currency=plan.tariff.currency, width=width, height=220)

    # -- keeping it

    def keep(self) -> bool:
        """Raises InputError."""
        plan, name = stated_plan(self.typed()), self._engine.engine
        shortlist = self._state.project.shortlist
        taken = {p.name for p in self._engine.plans} - {self._before.name if self._before else ""}
        if plan.name in taken:
            raise InputError(
                tr("{name} has a plan '{name2}' already.", name=name, name2=plan.name),
                kept=tr("Nothing was changed."),
                remedy=tr("Give this one another name."),
            )
        before = shortlist.stated_plans(name)
        after = [p for p in before if self._before is None or p.name != self._before.name] + [plan]
        old = self._before.name if self._before is not None else ""
        moved = [c.id for c in shortlist.candidates() if c.engine == name and c.plan == old]
        former = shortlist.former_plans(name)

        def do() -> None:
            shortlist.state_plans(name, after)
            shortlist.set_plan(moved, plan.name)

        def undo() -> None:
            shortlist.state_plans(name, before, former=former)
            shortlist.set_plan(moved, old)

        kept = self._state.edit(
            tr("price of {name}", name=name), do, undo, told=tr("The new price of {name}", name=name)
        )
        if kept:
            agree_to_prices(shortlist.engines()[name])  # typed here: nobody need be asked about them
        return kept

    def _remove(self) -> None:
        shortlist, name = self._state.project.shortlist, self._engine.engine
        assert self._before is not None
        before, gone = shortlist.stated_plans(name), self._before.name
        after, former = [p for p in before if p.name != gone], shortlist.former_plans(name)
        if self._state.edit(tr("removing a price of {name}", name=name), lambda: shortlist.state_plans(name, after),
                            lambda: shortlist.state_plans(name, before, former=former)):  # fmt: skip
            agree_to_prices(shortlist.engines()[name])
            self.accept()
            self._done()


def _untouched(typed: Typed) -> bool:
    """Whether a line is as it was put there: choices and usual values alone are nothing typed."""
    start = fresh(typed.kind).texts
    return any(not start[name] for name in start) and all(
        typed.texts.get(entry.name, "") == start[entry.name] or entry.what in ("choice", "switch") or entry.usual
        for entry in KINDS[typed.kind].form
    )


def _date(value: date | None) -> str:
    return value.isoformat() if value else ""
