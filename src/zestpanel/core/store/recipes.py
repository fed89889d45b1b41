"""Named recipes: a way of delivery over a whole piece, and settings of an engine; copied and compared."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Final

from pydantic import BaseModel, ConfigDict, Field

from zestpanel.core.domain.mark import DeliveryMark, tidy_value
from zestpanel.core.errors import InputError
from zestpanel.core.store.documents import Documents
from zestpanel.core.store.stored import Stored
from zestpanel.core.texts import tr

DELIVERY: Final = ("rate", "pitch", "volume", "style")


class Recipe(BaseModel):
    """delivery: value by kind of mark, laid over a whole text. settings: control to value, by engine."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    name: str = Field(min_length=1)
    delivery: dict[str, str] = Field(default_factory=dict)
    settings: dict[str, dict[str, Any]] = Field(default_factory=dict)


RECIPES: Final[Stored[tuple[Recipe, ...]]] = Stored("recipes", tuple[Recipe, ...], ())


def recipe(
    name: str, delivery: Mapping[str, str], settings: Mapping[str, Mapping[str, Any]] | None = None
) -> Recipe:  # fmt: skip
    """A recipe with tidy values. Raises InputError: no name, nothing in it, or a value that means nothing."""
    name = " ".join(name.split())
    if not name:
        raise InputError(tr("A recipe needs a name."), kept=tr("Nothing was kept."))
    kept: dict[str, str] = {}
    for kind, value in delivery.items():
        if not value.strip():
            continue
        try:
            kept[kind] = tidy_value(kind, value)
        except ValueError as error:
            raise InputError(f"'{name}': {error}.", kept=tr("Nothing was kept.")) from error
    held = {engine: dict(values) for engine, values in (settings or {}).items() if values}
    if not kept and not held:
        raise InputError(tr("'{name}' says nothing yet.", name=name), kept=tr("Nothing was kept."),
                         remedy=tr("Give it a rate, a pitch, a volume, a style or settings."))  # fmt: skip
    return Recipe(name=name, delivery=kept, settings=held)


def recipes(documents: Documents) -> list[Recipe]:
    return list(RECIPES.read(documents))


def with_recipe(known: Sequence[Recipe], one: Recipe) -> tuple[Recipe, ...]:
    """With a recipe added, in the place of one of the same name."""
    rest = [r for r in known if r.name != one.name]
    return tuple(sorted([*rest, one], key=lambda r: r.name.lower()))


def marks_of(one: Recipe, text: str) -> list[DeliveryMark]:
    """The recipe's delivery as marks over a whole text."""
    return [DeliveryMark(0, len(text), kind, value) for kind, value in one.delivery.items()]


def delivery_of(text: str, marks: Sequence[DeliveryMark]) -> dict[str, str]:
    """What a passage says over all of its text."""
    return {m.kind: m.value for m in marks if m.kind in DELIVERY and (m.start, m.end) == (0, len(text))}


def compared(several: Sequence[Recipe]) -> list[tuple[str, list[str], bool]]:
    """(what, its value in each recipe, whether they differ), what differs first."""
    names: list[tuple[str, str]] = [("", kind) for kind in DELIVERY if any(kind in r.delivery for r in several)]
    for one in several:
        for engine, controls in one.settings.items():
            names += [(engine, control) for control in controls if (engine, control) not in names]
    rows: list[tuple[str, list[str], bool]] = []
    for engine, name in names:
        values = [
            str(r.settings.get(engine, {}).get(name, "–")) if engine else r.delivery.get(name, "as it is")
            for r in several
        ]
        label = f"{engine}: {name}" if engine else (tr("{name}, of normal", name=name) if name == "rate" else name)
        rows.append((label, values, len(set(values)) > 1))
    return sorted(rows, key=lambda row: not row[2])
