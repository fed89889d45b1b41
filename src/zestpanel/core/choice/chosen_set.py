"""The chosen set: what all roles cost together, since those under one plan share its subscription and allowance; and
what stands against the set as a whole."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from functools import reduce

from zestpanel.core.choice.decided import Decision
from zestpanel.core.choice.evidence import Evaluation
from zestpanel.core.choice.row import Row
from zestpanel.core.choice.standing import Standing
from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.money import Money
from zestpanel.core.money.tariff import MonthCost, Usage, month_cost
from zestpanel.core.money.volume import no_rate_for, uses_at
from zestpanel.core.texts import capital, tr


@dataclass(frozen=True, slots=True, kw_only=True)
class InTheSet:
    """A role that is filled. minutes: finished a month; adds: what the set costs more for it, in the brief's currency,
    None where that is not known (``why_not``); alone: whether nothing is shared."""

    standing: Standing
    row: Row
    decision: Decision
    minutes: Decimal
    adds: Money | None
    alone: bool
    why_not: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class ChosenSet:
    """month: of all together, in the brief's currency; None where one of them has none. remarks: what stands against
    the set, and which roles are open, a sentence each."""

    lines: tuple[InTheSet, ...]
    month: Money | None
    remarks: tuple[str, ...]

    def says(self) -> str:
        """'The set costs 34.00 EUR a month.', with what each role adds where a plan is shared."""
        if not self.lines or self.month is None:
            return ""
        said = tr("The chosen voices cost {month} a month together.", month=self.month)
        if any(not one.alone for one in self.lines):
            parts = "; ".join(f"{capital(one.standing.name)} {one.adds}" for one in self.lines if one.adds is not None)
            said += tr(" Roles under one plan share its subscription and allowance; each adds: {parts}.", parts=parts)
        return said


def chosen_set(found: Evaluation, decided: Sequence[Decision]) -> ChosenSet:
    """decided: the decisions that stand."""
    filled = list(_filled(found, decided))
    plans: dict[tuple[str, str], list[int]] = defaultdict(list)
    for k, (_, row, _) in enumerate(filled):
        plans[row.candidate.engine, row.candidate.plan].append(k)
    uses = [_uses(standing, row, found.brief) for standing, row, _ in filled]
    lines: list[InTheSet] = []
    total: Decimal | None = Decimal(0)
    for at, (standing, row, decision) in enumerate(filled):
        shared = plans[row.candidate.engine, row.candidate.plan]
        everyone, others = [uses[k] for k in shared], [uses[k] for k in shared if k != at]
        whole = _month(row, everyone, found.brief)
        rest = _month(row, others, found.brief) if others else None
        month, why_not = _in_own(whole, found.brief)
        without = Decimal(0) if rest is None else None if (one := _in_own(rest, found.brief)[0]) is None else one.amount
        adds = None if month is None or without is None else Money(month.amount - without, month.currency)
        lines.append(InTheSet(standing=standing, row=row, decision=decision, minutes=_minutes(standing, found.brief),
                              adds=adds, alone=not others, why_not=why_not))  # fmt: skip
        if at == shared[0]:  # a plan is paid once
            total = None if total is None or month is None else total + month.amount
    month = Money(total, found.brief.currency) if total is not None and filled else None
    return ChosenSet(lines=tuple(lines), month=month, remarks=tuple(_remarks(found, lines, month)))


def _filled(found: Evaluation, decided: Sequence[Decision]) -> Iterator[tuple[Standing, Row, Decision]]:
    """In the order of the roles."""
    by_role = {one.role: one for one in decided}
    for standing in found.standings:
        decision = by_role.get(standing.role.id) if standing.role is not None else None
        row = standing.rows.get(decision.candidate_id or 0) if decision is not None else None
        if decision is not None and row is not None:
            yield standing, row, decision


def _minutes(standing: Standing, brief: Brief) -> Decimal:
    share = standing.role.share_percent if standing.role is not None else Decimal(100)
    return brief.minutes_per_month * share / 100


def _uses(standing: Standing, row: Row, brief: Brief) -> tuple[Usage, ...]:
    return uses_at(row.cost.rates, standing.brief, _minutes(standing, brief), model=row.candidate.model,
                   requests_per_episode=row.cost.requests_per_episode)  # fmt: skip


def _month(row: Row, uses: Sequence[tuple[Usage, ...]], brief: Brief) -> MonthCost:
    together = [reduce(Usage.plus, month) for month in zip(*uses, strict=True)]
    return month_cost(row.plan.tariff, together, one_off_months=brief.one_off_months)


def _in_own(month: MonthCost, brief: Brief) -> tuple[Money | None, str]:
    if month.total is None or not month.covers:
        return None, month.why or tr("the plan stops before this volume")
    own = brief.in_own_currency(month.total)
    return own, "" if own else no_rate_for(month.total.currency)


def _remarks(found: Evaluation, lines: Sequence[InTheSet], month: Money | None) -> Iterator[str]:
    brief = found.brief
    if month is not None and brief.budget_per_month is not None and month.amount > brief.budget_per_month:
        over = Money(month.amount - brief.budget_per_month, month.currency)
        yield tr("Together they cost {over} a month more than the budget.", over=over)
    for one in lines:
        if one.adds is None:
            yield tr("{name}: {why_not}.", name=one.standing.name, why_not=one.why_not)
    engines: Mapping[str, list[str]] = defaultdict(list)
    for one in lines:
        engines[one.row.candidate.engine].append(one.standing.name)
    for engine, roles in engines.items():
        if len(roles) > 1:
            yield tr("{roles} are all on {engine}: if it fails, all of them do.", roles=tr(" and ").join(roles),
                     engine=engine)  # fmt: skip
    filled = {one.standing.key for one in lines}
    still = [one.name for one in found.standings if one.role is not None and one.key not in filled]
    if still and lines:
        yield tr("Not filled: {still}.", still="; ".join(still))
