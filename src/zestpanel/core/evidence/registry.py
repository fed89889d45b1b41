"""All figures: found by standing in ``figures``, in the order they are shown."""

from __future__ import annotations

from collections.abc import Iterable
from functools import cache
from importlib import import_module
from pkgutil import iter_modules

from zestpanel.core.domain.brief import Brief
from zestpanel.core.evidence import figures as _figures
from zestpanel.core.evidence.declared import Figure
from zestpanel.core.evidence.figures import predicted, tests


class Figures(dict[str, Figure]):
    """All that are declared, by name. Figures that rest on questions of the lead's own, and on predictors, are found by
    theirs, and are not listed: see ``known_to``."""

    def __missing__(self, name: str) -> Figure:
        if (found := own(name)) is None:
            raise KeyError(name)
        return found

    def __contains__(self, name: object) -> bool:
        return super().__contains__(name) or (isinstance(name, str) and own(name) is not None)

    def get(self, name: str, default: Figure | None = None) -> Figure | None:  # type: ignore[override]
        return super().get(name) or own(name) or default


def own(name: str) -> Figure | None:
    """A figure that is known by its name alone: of a question of the lead's own, or of a predictor."""
    return tests.own(name) or predicted.own(name)


@cache
def figures() -> Figures:
    """By name."""
    found: list[Figure] = []
    for one in iter_modules(_figures.__path__):
        module = import_module(f"{_figures.__name__}.{one.name}")
        found += module.declared() if hasattr(module, "declared") else module.FIGURES
    return Figures({figure.name: figure for figure in sorted(found, key=lambda figure: figure.place)})


def known_to(names: Iterable[str]) -> list[Figure]:
    """All that are declared, and of these names those that rest on questions of the lead's own."""
    every = figures()
    return [*every.values(), *(every[name] for name in dict.fromkeys(names) if own(name) is not None)]


def weighable() -> list[Figure]:
    """Those that may be a criterion of the choice."""
    return [one for one in figures().values() if one.start is not None]


def exported(names: Iterable[str] = ()) -> list[Figure]:
    """Those that have a column in files; of these names, too."""
    return [one for one in known_to(names) if one.column]


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
