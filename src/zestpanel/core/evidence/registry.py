"""All figures: found by standing in ``figures``, in the order they are shown."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache
from importlib import import_module
from pkgutil import iter_modules

from zestpanel.core.domain.brief import Brief
from zestpanel.core.evidence import figures as _figures
from zestpanel.core.evidence.declared import Figure


@cache
def figures() -> Mapping[str, Figure]:
    """By name."""
    found: list[Figure] = []
    for one in iter_modules(_figures.__path__):
        module = import_module(f"{_figures.__name__}.{one.name}")
        found += module.declared() if hasattr(module, "declared") else module.FIGURES
    return {figure.name: figure for figure in sorted(found, key=lambda figure: figure.place)}


def weighable() -> list[Figure]:
    """Those that may be a criterion of the choice."""
    return [one for one in figures().values() if one.start is not None]


def exported() -> list[Figure]:
    """Those that have a column in files."""
    return [one for one in figures().values() if one.column]


def as_table() -> str:
    """All figures, as docs/methods.md shows them."""
    lines = [
        "| figure | stored as | column in exports | better | of a cell | of a candidate | weighed | claims |",
        "|---|---|---|---|---|---|---|---|",
    ]
    for one in figures().values():
        cells = (
            one.words, one.name, one.column or "–", one.better or "neither", "yes" if one.of_cells else "–", "yes",
            "from the start" if one.start and one.start(Brief()).weight else "on request" if one.start else "–",
            one.claimed or "–",
        )  # fmt: skip
        lines.append(f"| {' | '.join(cells)} |")
    return "\n".join(lines)
