"""Engines side by side: every fact of each, the ones that differ first."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.catalogue.ledger import OwnStatement, ledger
from zestpanel.core.texts import tr


@dataclass(frozen=True, slots=True, kw_only=True)
class CompareRow:
    """One fact: a value for each engine, and whether they differ."""

    fact: str
    values: tuple[str, ...]

    @property
    def differs(self) -> bool:
        return len(set(self.values)) > 1


def compare(engines: Sequence[Engine], own: Mapping[str, Sequence[OwnStatement]]) -> list[CompareRow]:
    """Rows of facts; differing ones first, then the same for all; what nobody states anywhere comes last."""
    columns = [_facts_of(engine, own.get(engine.engine, ())) for engine in engines]
    names = list(dict.fromkeys(name for column in columns for name in column))
    rows = [
        CompareRow(fact=name, values=tuple(column.get(name, "unknown") for column in columns)) for name in names
    ]  # fmt: skip

    def order(row: CompareRow) -> int:
        return 0 if row.differs else 2 if set(row.values) == {"unknown"} else 1

    return sorted(rows, key=order)


def _facts_of(engine: Engine, own: Sequence[OwnStatement]) -> dict[str, str]:
    tiers = {tier for plan in engine.plans if not plan.trial for tier in plan.tiers}
    usable = [v for v in engine.voices if not v.tier or v.tier in tiers]
    languages = {tag.split("-")[0] for v in engine.voices for tag in v.languages}
    styles = sum(bool(v.styles) for v in engine.voices)
    out = {
        "reached by": engine.route_label,
        "where it runs": "hosted" if engine.is_hosted else "on this machine",
        "voices": tr(
            "{voices}, of them {usable} usable under a plan",
            voices=f"{len(engine.voices):,}",
            usable=f"{len(usable):,}",
        )
        if engine.plans
        else f"{len(engine.voices):,}",
        "languages": f"{len(languages)}",
        "voices with styles": f"{styles:,}",
        "models": "; ".join(f"{m.label} {m.version}" for m in engine.models),
        "controls": ", ".join(c.name for c in engine.controls) or "none",
        "marks understood": ", ".join(sorted(n for n, f in engine.marks.items() if f == "yes"))
        or (tr("none of {marks}", marks=", ".join(sorted(engine.marks))) if engine.marks else "unknown"),
    }
    for plan in engine.plans:
        price = "; ".join(part.words(plan.tariff.currency) for part in plan.tariff.components)
        out["plans"] = f"{out['plans']} / {plan.name}: {price}" if "plans" in out else f"{plan.name}: {price}"
    for name, known in ledger(engine, "engine", own=own).items():
        out[name] = _shown(known.words, known.disagree)
    for about, items in (("model", [m.id for m in engine.models]), ("plan", [p.name for p in engine.plans])):
        gathered: dict[str, list[str]] = {}
        for item in items:
            for name, known in ledger(engine, about, item, own).items():  # type: ignore[arg-type]
                gathered.setdefault(name, []).append(_shown(known.words, known.disagree))
        for name, values in gathered.items():
            if set(values) == {values[0]}:
                out[f"{about}: {name}"] = values[0]
            else:
                out[f"{about}: {name}"] = "; ".join(f"{i} {v}" for i, v in zip(items, values, strict=True))
    return out


def _shown(words: str, disagree: bool) -> str:
    return tr("{words} (sources disagree)", words=words) if disagree else words
