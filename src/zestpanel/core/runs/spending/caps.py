"""What a run may spend: caps a run, a day and a plan's month, held before each request and never after it."""

from __future__ import annotations

import threading
from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from datetime import date
from decimal import Decimal
from functools import reduce
from types import MappingProxyType
from typing import Final, Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator

from zestpanel.core.catalogue.facts import UNPRICED, Engine
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.money import Money, shown
from zestpanel.core.domain.run import JournalRow
from zestpanel.core.errors import ProjectError
from zestpanel.core.money.metering import Meter
from zestpanel.core.money.tariff import NO_USE, Tariff, Usage
from zestpanel.core.money.volume import Rates
from zestpanel.core.runs.plan.estimates import PlanKey, may_be_paid, total_by_currency, used_by_day
from zestpanel.core.store.auditions import Audition
from zestpanel.core.store.documents import Documents
from zestpanel.core.store.stored import Stored
from zestpanel.core.texts import tr


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
            raise ValueError(tr("a cap is an amount from 0 up"))
        return value


CAPS: Final[Stored[SpendingCaps]] = Stored("spending caps", SpendingCaps, SpendingCaps(), binding=True)


def caps_of(documents: Documents) -> SpendingCaps:
    return CAPS.read(documents)


def caps_to_edit(documents: Documents) -> tuple[SpendingCaps, str]:
    """(the caps, '') or (none, why), where those that are kept make no sense: new ones may be set in their place."""
    try:
        return CAPS.read(documents), ""
    except ProjectError as error:
        return SpendingCaps(), str(error)


def plan_key(engine: str, plan: str) -> str:
    return f"{engine} / {plan}"


# How much longer than expected a clip may become before a cap is at stake: of a voice whose pace is measured, and of
# one whose pace is assumed (common practice, no source: read texts lie between 500 and 1,300 characters a minute)
MEASURED_MARGIN: Final = Decimal("1.25")
ASSUMED_MARGIN: Final = Decimal(2)


def at_most(expected: Usage, rates: Rates) -> Usage:
    """What is set aside for a request: its characters and itself are known, its sound may be longer than expected."""
    margin = ASSUMED_MARGIN if rates.assumed else MEASURED_MARGIN
    return replace(expected, sound_s=expected.sound_s * margin)


def same_currency(money: Money, currency: str) -> Decimal | None:
    return money.amount if money.currency == currency else None


class SpendGuard:
    """What the run has spent, what is reserved for requests under way, and whether one more fits under the caps.

    Costs are differences to what was used before, by the plan's own meter, so that allowances, tiers, requests and
    seconds count once and exactly. An amount counts against the cap of its own currency, else against one that the
    brief's exchange rates lead to; where neither is, it is refused. Failures that may have been billed count against
    caps, over runs, and not as spent. A plan without a computable price cannot be held by a cap; ``unpriced`` names
    those met. Safe to use from many threads.
    """

    def __init__(
        self,
        engines: Mapping[str, Engine],
        candidates: Mapping[int, Candidate],
        journal: Sequence[JournalRow],
        caps: SpendingCaps,
        *,
        today: date,
        seats: int = 1,
        rates: Mapping[int, Rates] = MappingProxyType({}),
        auditions: Sequence[Audition] = (),
        convert: Callable[[Money, str], Decimal | None] = same_currency,
    ) -> None:
        self._convert = convert
        self._engines, self.caps, self._today, self._seats = engines, caps, today, seats

        self._days = used_by_day(journal, candidates, rates, may_be_paid, auditions)
        self._meters: dict[PlanKey, Meter] = {}
        self._added: dict[PlanKey, Usage] = defaultdict(lambda: NO_USE)
        self._reserved: dict[PlanKey, Usage] = defaultdict(lambda: NO_USE)
        self._doubtful: dict[PlanKey, Usage] = defaultdict(lambda: NO_USE)
        self._refused: dict[str, str] = {}
        self._lock, self._last_word = threading.RLock(), True
        self.unpriced: set[PlanKey] = set()
        self._earlier_today = [cost for key in self._days if (cost := self._earlier(key, "day")) is not None]

    def reserve(self, key: PlanKey, use: Usage) -> str:
        """Set requests' price aside; '' when it fits, else which cap it would break. Nothing is set aside then.

        While other requests are under way, which may end for less than was set aside, a refusal is not the last word:
        see ``is_final``.
        """
        with self._lock:
            self._last_word = not self.outstanding
            now_ = self._with_reserved(key)
            self._reserved[key] = self._reserved[key].plus(use)
            then = self._with_reserved(key)
            if now_ is None or then is None:
                self.unpriced.add(key)
                return ""
            more = then.amount - now_.amount
            reason = self._broken(key, then, more) if more > 0 else ""
            if reason:
                self._reserved[key] = self._reserved[key].minus(use)
            return reason

    def settle(self, key: PlanKey, reserved: Usage, billed: Usage, *, maybe: Usage = NO_USE) -> None:
        """The requests are over: what was set aside is free again, what was billed counts.

        maybe: of failed requests that may have been billed all the same; caps count them, ``spent`` does not.
        """
        with self._lock:
            self._reserved[key] = self._reserved[key].minus(reserved)
            self._added[key] = self._added[key].plus(billed)
            self._doubtful[key] = self._doubtful[key].plus(maybe)

    def used_today(self, engine: str, plan: str) -> Usage:
        """What counts against caps of today, from before this run."""
        return self._days.get((engine, plan), {}).get(self._today, NO_USE)

    @property
    def outstanding(self) -> bool:
        """Whether requests are under way whose end may yet make room."""
        with self._lock:
            return any(use.requests for use in self._reserved.values())

    def is_final(self, refusal: str) -> bool:
        """Whether it was said with nothing under way; what was refused so stays shut until a person says otherwise."""
        with self._lock:
            return refusal in self._refused.values()

    def open_again(self, caps: SpendingCaps) -> None:
        """Caps were changed, or the run is to go on: what was refused is tried again."""
        with self._lock:
            self.caps = caps
            self._refused.clear()

    def spent(self) -> tuple[Money, ...]:
        """What the run has used so far, exactly as its plans bill it; one amount a currency."""
        with self._lock:
            costs = [self._meter(key).with_more(use).cost for key, use in self._added.items()]
        return total_by_currency(cost for cost in costs if cost is not None)

    # -- inside

    def _tariff(self, key: PlanKey) -> Tariff:
        engine = self._engines.get(key[0])
        return ((engine.plan(key[1]) if engine else None) or UNPRICED).tariff

    def _meter(self, key: PlanKey) -> Meter:
        if key not in self._meters:
            self._meters[key] = Meter(self._tariff(key), self._days.get(key, {}), today=self._today, seats=self._seats)
        return self._meters[key]

    def _earlier(self, key: PlanKey, since: Literal["day", "month"]) -> Money | None:
        """What the use before this run cost, of today or of this month."""
        of_month = (self._today.year, self._today.month)
        costs = [cost for day, cost in (self._meter(key).by_day() or {}).items()
                 if day == self._today or (since == "month" and (day.year, day.month) == of_month)]  # fmt: skip
        return reduce(Money.__add__, costs) if costs else None

    def _with_reserved(self, key: PlanKey) -> Money | None:
        return self._meter(key).with_more(self._added[key].plus(self._doubtful[key]).plus(self._reserved[key])).cost

    def _broken(self, key: PlanKey, then: Money, more: Decimal) -> str:
        """The cap that the plan's new cost would break, '' for none. What was refused once stays shut."""
        run = [then, *(
            cost for other in {*self._added, *self._doubtful, *self._reserved} - {key}
            if (cost := self._with_reserved(other)) is not None
        )]  # fmt: skip
        earlier, name = self._earlier(key, "month"), plan_key(*key)
        plan = then.amount + (earlier.amount if earlier is not None else Decimal(0))
        for scope, caps, costs, words in (
            ("run", self.caps.a_run, run, tr("a run")),
            ("day", self.caps.a_day, [*run, *self._earlier_today], tr("a day")),
        ):
            if caps and (reason := self._over(scope, caps, costs, words, then.currency, more, name)):
                return reason
        cap = self.caps.a_plan.get(name)
        return self._refuse(
            tr("plan {name}", name=name), cap, plan, then.currency, tr("a month of {name}", name=name), more
        )

    def _over(
        self, scope: str, caps: Mapping[str, Decimal], costs: Sequence[Money], words: str, currency: str,
        more: Decimal, plan: str,
    ) -> str:  # fmt: skip
        """Whether costs in all their currencies pass the cap that holds this one: its own, or one it converts to."""
        cap_in = self._held_in(currency, caps)
        if cap_in is None:
            said = tr(
                "The caps of {words} are in {caps}, {plan} bills in {currency}, and the brief gives no "
                "exchange rate: nothing would hold it.",
                words=words,
                caps=tr(" and ").join(caps),
                plan=plan,
                currency=currency,
            )
            return self._refused.setdefault(f"{scope} {currency}", said)
        amounts = [self._convert(cost, cap_in) for cost in costs if self._held_in(cost.currency, caps) == cap_in]
        total = sum((amount for amount in amounts if amount is not None), Decimal(0))
        step = self._convert(Money(more, currency), cap_in) or more
        return self._refuse(f"{scope} {cap_in}", caps[cap_in], total, cap_in, words, step)

    def _held_in(self, currency: str, caps: Mapping[str, Decimal]) -> str | None:
        if currency in caps:
            return currency
        one = Money(Decimal(1), currency)
        return next((known for known in caps if self._convert(one, known) is not None), None)

    def _refuse(self, scope: str, cap: Decimal | None, total: Decimal, currency: str, words: str, step: Decimal) -> str:
        if scope in self._refused:
            return self._refused[scope]
        if cap is None or total <= cap:
            return ""
        next_one = tr("the next request ({step} {currency})", step=shown(step), currency=currency)
        said = tr(
            "The cap of {cap} {currency} {words} would be broken by {next_one}.",
            cap=shown(cap),
            currency=currency,
            words=words,
            next_one=next_one,
        )
        if self._last_word:
            self._refused[scope] = said
        return said
