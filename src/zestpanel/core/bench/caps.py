"""What a run may spend: caps a run, a day and a plan's month, held before each request and never after it."""

from __future__ import annotations

import threading
from collections import defaultdict
from collections.abc import Mapping, Sequence
from datetime import date
from decimal import Decimal
from typing import Final

from pydantic import BaseModel, ConfigDict, Field, field_validator

from zestpanel.core.bench.estimates import added_cost, total_by_currency, used_in
from zestpanel.core.catalogue.candidate import Candidate
from zestpanel.core.catalogue.facts import UNPRICED, Engine
from zestpanel.core.project.journal import JournalRow
from zestpanel.core.project.project import Project
from zestpanel.core.tariffs.money import Money, shown

DOCUMENT: Final = "spending caps"
PlanKey = tuple[str, str]  # engine, plan


class SpendingCaps(BaseModel):
    """Amounts by currency for a run and for a day; by 'engine / plan', in the plan's currency, for a month of it."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    a_run: dict[str, Decimal] = Field(default_factory=dict)
    a_day: dict[str, Decimal] = Field(default_factory=dict)
    a_plan: dict[str, Decimal] = Field(default_factory=dict)

    @field_validator("a_run", "a_day", "a_plan")
    @classmethod
    def _not_below_nought(cls, value: dict[str, Decimal]) -> dict[str, Decimal]:
        if any(not amount.is_finite() or amount < 0 for amount in value.values()):
            raise ValueError("a cap is an amount from 0 up")
        return value


def caps_of(project: Project) -> SpendingCaps:
    return SpendingCaps.model_validate(project.documents.get(DOCUMENT) or {})


def plan_key(engine: str, plan: str) -> str:
    return f"{engine} / {plan}"


class Purse:
    """What the run has spent, what is reserved for requests under way, and whether one more fits under the caps.

    Costs are differences of two months' costs, so that allowances, tiers and credits count once and exactly. A plan
    without a computable price cannot be held by a cap; ``unpriced`` names those met. Safe to use from many threads.
    """

    def __init__(
        self,
        engines: Mapping[str, Engine],
        candidates: Mapping[int, Candidate],
        journal: Sequence[JournalRow],
        caps: SpendingCaps,
        *,
        today: date,
    ) -> None:
        self._engines, self.caps = engines, caps
        month, day = today.isoformat()[:7], today.isoformat()
        self._month = used_in(journal, candidates, lambda row: row.opened.startswith(month))
        before = used_in(
            journal, candidates, lambda row: row.opened.startswith(month) and not row.opened.startswith(day)
        )
        self._earlier_today = {key: self._cost(key, use, before.get(key, {})) for key, use in self._month.items()}
        self._added: dict[PlanKey, dict[str, int]] = defaultdict(lambda: defaultdict(int))
        self._reserved: dict[PlanKey, dict[str, int]] = defaultdict(lambda: defaultdict(int))
        self._doubtful: dict[PlanKey, dict[str, int]] = defaultdict(lambda: defaultdict(int))
        self._refused: dict[str, str] = {}
        self._lock = threading.RLock()
        self.unpriced: set[PlanKey] = set()

    def reserve(self, key: PlanKey, model: str, characters: int) -> str:
        """Set a request's price aside; '' when it fits, else which cap it would break. Nothing is set aside then."""
        with self._lock:
            now_ = self._with_reserved(key)
            self._reserved[key][model] += characters
            then = self._with_reserved(key)
            if now_ is None or then is None:
                self.unpriced.add(key)
                return ""
            more = then.amount - now_.amount
            reason = self._broken(key, then, more) if more > 0 else ""
            if reason:
                self._reserved[key][model] -= characters
            return reason

    def settle(self, key: PlanKey, model: str, reserved: int, billed: int, *, maybe: int = 0) -> None:
        """The request is over: what was set aside is free again, what was billed counts.

        maybe: characters of a failed request that may have been billed all the same; caps count them, ``spent`` not.
        """
        with self._lock:
            self._reserved[key][model] -= reserved
            self._added[key][model] += billed
            self._doubtful[key][model] += maybe

    @property
    def outstanding(self) -> bool:
        """Whether requests are under way whose end may yet make room."""
        with self._lock:
            return any(n for models in self._reserved.values() for n in models.values())

    def open_again(self, caps: SpendingCaps) -> None:
        """Caps were changed, or the run is to go on: what was refused is tried again."""
        with self._lock:
            self.caps = caps
            self._refused.clear()

    def spent(self) -> tuple[Money, ...]:
        """What the run has used so far, exactly as its plans bill it; one amount a currency."""
        with self._lock:
            costs = [self._cost(key, self._sum(key, self._added[key]), self._month.get(key, {})) for key in self._added]
        return total_by_currency(cost for cost in costs if cost is not None)

    # -- inside

    def _sum(self, key: PlanKey, *more: Mapping[str, int]) -> dict[str, int]:
        out: dict[str, int] = defaultdict(int)
        for part in (self._month.get(key, {}), *more):
            for model, n in part.items():
                out[model] += n
        return out

    def _cost(self, key: PlanKey, after: Mapping[str, int], before: Mapping[str, int]) -> Money | None:
        engine = self._engines.get(key[0])
        tariff = ((engine.plan(key[1]) if engine else None) or UNPRICED).tariff
        added = {m: after.get(m, 0) - before.get(m, 0) for m in {*after, *before}}
        return added_cost(tariff, dict(before), added)[0]

    def _with_reserved(self, key: PlanKey) -> Money | None:
        after = self._sum(key, self._added[key], self._doubtful[key], self._reserved[key])
        return self._cost(key, after, self._month.get(key, {}))

    def _broken(self, key: PlanKey, then: Money, more: Decimal) -> str:
        """The cap that the plan's new cost would break, '' for none. What was refused once stays shut."""
        currency = then.currency
        others = [
            cost.amount
            for other in {*self._added, *self._doubtful, *self._reserved} - {key}
            if (cost := self._with_reserved(other)) is not None and cost.currency == currency
        ]
        run = then.amount + sum(others, Decimal(0))
        today = run + sum(
            (c.amount for c in self._earlier_today.values() if c is not None and c.currency == currency), Decimal(0)
        )
        plan = then.amount + (self._month_so_far(key) or Decimal(0))
        name = plan_key(*key)
        for scope, cap, would_be, words in (
            (f"run {currency}", self.caps.a_run.get(currency), run, "a run"),
            (f"day {currency}", self.caps.a_day.get(currency), today, "a day"),
            (f"plan {name}", self.caps.a_plan.get(name), plan, f"a month of {name}"),
        ):
            if scope in self._refused:
                return self._refused[scope]
            if cap is not None and would_be > cap:
                self._refused[scope] = (
                    f"The cap of {shown(cap)} {currency} {words} would be broken by the next request "
                    f"({shown(more)} {currency})."
                )
                return self._refused[scope]
        return ""

    def _month_so_far(self, key: PlanKey) -> Decimal | None:
        """What the month's use before this run costs beyond what the plan costs unused."""
        cost = self._cost(key, self._month.get(key, {}), {})
        return None if cost is None else cost.amount
