"""Units that are included."""

from __future__ import annotations

from typing import ClassVar, Literal, get_args

from pydantic import Field, model_validator

from zestpanel.core.money.components.part import MOST_UNITS, Entry, Part, Period, Unit
from zestpanel.core.texts import tr, word


class Allowance(Part):
    """Units that cost nothing (or are paid by the subscription), per day, week, month or year."""

    title: ClassVar = tr("Included")
    place: ClassVar = 20
    form: ClassVar = (
        Entry("amount", "whole"), Entry("unit", "choice", choices=get_args(Unit)),
        Entry("every", "choice", tr("every"), choices=get_args(Period), usual="month"),
        Entry("per_seat", "switch", after=tr("for every seat")),
        Entry("first_months", "whole", tr("only in the first"), tr("months"), may_lack=True),
        Entry("kept_months", "whole", tr("unused ones are kept for"), tr("months"), may_lack=True),
    )  # fmt: skip

    kind: Literal["allowance"] = "allowance"
    amount: int = Field(ge=0, le=MOST_UNITS)
    unit: Unit = "character"
    every: Period = "month"
    per_seat: bool = False
    first_months: int | None = Field(
        default=None, ge=1, le=1200, description=tr("only in so many months from the start")
    )
    kept_months: int | None = Field(
        default=None, ge=1, le=120, description=tr("unused ones roll over for so many months")
    )

    @model_validator(mode="after")
    def _keeps_whole_months(self) -> Allowance:
        if self.kept_months is not None and self.every in ("day", "week"):
            raise ValueError(tr("only what is included by the month or the year can be kept for months"))
        return self

    def holds(self, month: int | None) -> bool:
        """Whether it stands in a month: an offer of the first months is over in a usual one."""
        return self.first_months is None or (month is not None and month <= self.first_months)

    def words(self, currency: str) -> str:
        del currency
        seat = tr(" and seat") if self.per_seat else ""
        months = tr(", in the first {first_months} months", first_months=self.first_months) if self.first_months else ""
        kept = tr(", unused ones kept for {kept_months} months", kept_months=self.kept_months)
        return tr(
            "{amount} {many} a {every} included{months}{kept}",
            amount=f"{self.amount:,}",
            many=word(f"{self.unit}s"),
            every=f"{word(self.every)}{seat}",
            months=months,
            kept=kept if self.kept_months else "",
        )

    def stamp(self) -> str:
        return tr(
            "{amount} {many} a {every} free",
            amount=f"{self.amount:,}",
            many=word(f"{self.unit}s"),
            every=word(self.every) + (tr(" and seat") if self.per_seat else ""),
        )
