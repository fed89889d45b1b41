"""A plan entered by hand: read off a price list, said back in words, with what this channel's month costs under it."""

from __future__ import annotations

from collections.abc import Callable
from decimal import Decimal

from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QWidget

from zestpanel.core.catalogue.fact_list import BY_NAME
from zestpanel.core.catalogue.facts import Engine, Plan
from zestpanel.core.catalogue.stated_plan import UNITS, Typed, as_typed, stated_plan
from zestpanel.core.clock import today
from zestpanel.core.errors import InputError
from zestpanel.core.money.tariff import price_words
from zestpanel.core.money.volume import Rates, cost_at_volume
from zestpanel.desk.pages.engines.notes import FormDialog, read_date
from zestpanel.desk.state import DeskState
from zestpanel.desk.widgets import button, label


class PriceDialog(FormDialog):
    """plan: one that was stated before, to be changed; None for a new one."""

    def __init__(
        self, parent: QWidget, state: DeskState, engine: Engine, done: Callable[[], None], plan: Plan | None = None
    ) -> None:
        about = "As the price list says it. What is not on it stays empty."
        super().__init__(parent, f"A price of {engine.engine}", about, done)
        self._state, self._engine, self._before = state, engine, plan
        typed = (as_typed(plan) if plan is not None else None) or Typed(
            name="Standard", currency=state.project.brief.currency, per="1,000", dated=today()
        )
        self.name, self.currency, self.source = (
            QLineEdit(typed.name),
            QLineEdit(typed.currency),
            QLineEdit(typed.source),
        )
        self.fee, self.included, self.price = QLineEdit(typed.fee), QLineEdit(typed.included), QLineEdit(typed.price)
        self.per, self.once = QLineEdit(typed.per), QLineEdit(typed.once)
        self.dated = QLineEdit(typed.dated.isoformat() if typed.dated else "")
        self.fee_every, self.included_every, self.unit = QComboBox(), QComboBox(), QComboBox()
        self.fee_every.addItems(["month", "year"])
        self.included_every.addItems(["day", "month", "year"])
        for unit in UNITS:
            self.unit.addItem(f"{unit}s", unit)
        self.fee_every.setCurrentText(typed.fee_every)
        self.included_every.setCurrentText(typed.included_every)
        self.unit.setCurrentIndex(UNITS.index(typed.unit))
        for edit, words in ((self.fee, "such as 22"), (self.included, "such as 100,000"), (self.price, "such as 0.30"),
                            (self.once, "such as 199")):  # fmt: skip
            edit.setPlaceholderText(words)
        self.form.addRow("Plan", _row(self.name, label("in", "quiet"), self.currency))
        self.form.addRow("Subscription", _row(self.fee, label("every", "quiet"), self.fee_every))
        self.form.addRow("Included", _row(self.included, self.unit, label("every", "quiet"), self.included_every))
        beyond = _row(self.price, label("for every", "quiet"), self.per, label("of them", "quiet"))
        self.form.addRow("Beyond that", beyond)
        self.form.addRow("Bought once", self.once)
        self.form.addRow("Source", _row(self.source, label("of", "quiet"), self.dated))
        self.rights: dict[str, QComboBox] = {}
        for name in state.project.brief.must_haves:
            if ("plan", name) in BY_NAME:
                box = QComboBox()
                box.addItems(["not known", "yes", "no"])
                box.setCurrentText(typed.rights.get(name, "not known"))
                box.setAccessibleName(name)
                self.rights[name] = box
                self.form.addRow(name[:1].upper() + name[1:], box)
        self.told = label("", "small", wrap=True)
        self.form.addRow(self.told)
        if plan is not None:
            self.form.addRow(button("Remove this price", self._remove, role="link"))
        for edit in (self.name, self.currency, self.fee, self.included, self.price, self.per, self.once):
            edit.textChanged.connect(self._tell)
        for chosen in (self.fee_every, self.included_every, self.unit):
            chosen.currentIndexChanged.connect(self._tell)
        self._tell()

    def typed(self) -> Typed:
        return Typed(
            name=self.name.text(), currency=self.currency.text(), fee=self.fee.text(),
            fee_every="year" if self.fee_every.currentText() == "year" else "month", included=self.included.text(),
            included_every=self.included_every.currentText(),  # type: ignore[arg-type]
            unit=self.unit.currentData(), price=self.price.text(), per=self.per.text(), once=self.once.text(),
            source=self.source.text(), dated=read_date(self.dated.text(), "The date"),
            rights={name: box.currentText() for name, box in self.rights.items()},
        )  # fmt: skip

    def _tell(self) -> None:
        """The tariff said back, and the brief's month under it at an assumed pace."""
        try:
            plan = stated_plan(self.typed())
        except InputError as error:
            self.told.setText(error.what)
            self.keep_button.setEnabled(False)
            return
        self.keep_button.setEnabled(True)
        brief = self._state.project.brief
        cost = cost_at_volume(plan.tariff, Rates(), brief, model=self._engine.models[0].id)
        month = cost.month.total if cost.month.covers else None
        parts = "; ".join(price_words(part) for part in plan.tariff.components)
        said = f"{plan.tariff.currency}: {parts}."
        volume = f"{brief.minutes_per_month.quantize(Decimal(1)):,} finished minutes a month"
        if month is None:
            self.told.setText(f"{said} At {volume}: {cost.why_not or 'it stops before that'}.")
        else:
            self.told.setText(f"{said} At {volume}, 1,000 characters a minute assumed: {month}.")

    def keep(self) -> bool:
        plan, name = stated_plan(self.typed()), self._engine.engine
        shortlist = self._state.project.shortlist
        taken = {p.name for p in self._engine.plans} - {self._before.name if self._before else ""}
        if plan.name in taken:
            raise InputError(f"{name} has a plan '{plan.name}' already.", kept="Nothing was changed.",
                             remedy="Give this one another name.")  # fmt: skip
        before = shortlist.stated_plans(name)
        after = [p for p in before if self._before is None or p.name != self._before.name] + [plan]
        old = self._before.name if self._before is not None else ""
        moved = [c.id for c in shortlist.candidates() if c.engine == name and c.plan == old]

        def do() -> None:
            shortlist.state_plans(name, after)
            shortlist.set_plan(moved, plan.name)

        def undo() -> None:
            shortlist.state_plans(name, before)
            shortlist.set_plan(moved, old)

        return self._state.edit(f"price of {name}", do, undo)

    def _remove(self) -> None:
        assert self._before is not None
        name, gone = self._engine.engine, self._before.name
        shortlist = self._state.project.shortlist
        before = shortlist.stated_plans(name)
        moved = [c.id for c in shortlist.candidates() if c.engine == name and c.plan == gone]

        def do() -> None:
            shortlist.state_plans(name, [p for p in before if p.name != gone])
            shortlist.set_plan(moved, "")

        def undo() -> None:
            shortlist.state_plans(name, before)
            shortlist.set_plan(moved, gone)

        if self._state.edit(f"price of {name}", do, undo):
            self.accept()
            self._done()


def _row(*widgets: QWidget) -> QWidget:
    out = QWidget()
    layout = QHBoxLayout(out)
    layout.setContentsMargins(0, 0, 0, 0)
    for widget in widgets:
        layout.addWidget(widget, 1 if isinstance(widget, QLineEdit) else 0)
    return out
