"""What a new price, or anything else that was stated anew, changes for the choice: two standings beside each other."""

from __future__ import annotations

from zestpanel.core.choice.evidence import Evaluation
from zestpanel.core.domain.money import Money
from zestpanel.core.texts import tr

_MOST_NAMED = 4


def what_changed(before: Evaluation, after: Evaluation) -> list[str]:
    """Sentences, none where costs, must-haves and order are as they were. Costs are a month's at the channel's
    volume, in its currency."""
    out = []
    costs = []
    for number, row in after.rows.items():
        old = before.rows.get(number)
        if old is not None and _month(old.cost.own) != _month(row.cost.own):
            costs.append(f"{row.name} {_shown(old.cost.own)} → {_shown(row.cost.own)}{_by(old.cost.own, row.cost.own)}")
    if costs:
        more = tr(" and {costs} more", costs=len(costs) - _MOST_NAMED) if len(costs) > _MOST_NAMED else ""
        out.append(tr("A month costs: {costs}{more}.", costs="; ".join(costs[:_MOST_NAMED]), more=more))
    for number, row in after.rows.items():
        old = before.rows.get(number)
        if old is None:
            continue
        verdicts = {gate.name: gate.verdict for gate in old.gates}
        for gate in row.gates:
            if gate.name in verdicts and gate.verdict != verdicts[gate.name]:
                met = {"yes": tr("is met now"), "no": tr("is not met any more"), "unknown": tr("is not known any more")}
                out.append(f"{row.name}: '{gate.name}' {met[gate.verdict]} ({gate.why}).")
    for standing in after.standings:
        first, then = (_first(one, standing.key) for one in (before, after))
        if first is not None and then is not None and first != then:
            names = {number: row.name for number, row in (*before.rows.items(), *after.rows.items())}
            out.append(
                tr("{role}: first is {name} now, not {former}.", role=standing.name, name=names.get(then, "?"),
                   former=names.get(first, "?"))
            )  # fmt: skip
    cheapest = [min((r for r in one.rows.values() if r.cost.own is not None),
                    key=lambda r: r.cost.own.amount if r.cost.own else 0, default=None)
                for one in (before, after)]  # fmt: skip
    was, is_now = cheapest
    if was is not None and is_now is not None and was.candidate.id != is_now.candidate.id:
        out.append(tr("The cheapest is {name} now, not {name2}.", name=is_now.name, name2=was.name))
    return out


def _first(found: Evaluation, key: str) -> int | None:
    standing = found.standing(key)
    return standing.ranking[0].candidate_id if standing is not None and standing.ranking else None


def _month(cost: Money | None) -> str:
    return "" if cost is None else f"{cost.amount:.2f} {cost.currency}"


def _shown(cost: Money | None) -> str:
    return "not known" if cost is None else str(cost)


def _by(old: Money | None, new: Money | None) -> str:
    if old is None or new is None or not old.amount or old.currency != new.currency:
        return ""
    percent = (new.amount / old.amount - 1) * 100
    return f" ({percent:+.0f} %)".replace("-", "−")
