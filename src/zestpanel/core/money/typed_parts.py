"""A tariff's components as they are typed, and back: what stands in the fields of a line is one component."""

from __future__ import annotations

from decimal import Decimal
from typing import Any, Final, cast

from pydantic import TypeAdapter, ValidationError

from zestpanel.core.errors import InputError
from zestpanel.core.money.components import KINDS, Component
from zestpanel.core.money.components.part import Entry, Part, Typed
from zestpanel.core.texts import tr
from zestpanel.core.typed import typed_number, typed_whole

YES: Final = "yes"
_KEPT: Final = tr("Nothing was changed.")
_READ: Final[TypeAdapter[Component]] = TypeAdapter(Component)


def fresh(kind: str) -> Typed:
    """A line as it is before anything is typed."""
    return Typed(kind, {entry.name: _usual(entry) for entry in KINDS[kind].form})


def _usual(entry: Entry) -> str:
    return entry.usual or (entry.choices[0] if entry.what == "choice" else "")


def part_of(typed: Typed) -> Component:
    """Raises InputError naming the line and the field."""
    kind = KINDS[typed.kind]
    values: dict[str, Any] = {"kind": typed.kind}
    for entry in kind.form:
        text = str(typed.texts.get(entry.name, "")).strip()
        value = _value(entry, text, f"{kind.title}, {called(entry)}" if called(entry) else kind.title)
        if value is not None:
            values[entry.name] = value
    try:
        return _READ.validate_python(values)
    except ValidationError as error:
        first = error.errors()[0]
        field = next((e for e in kind.form if e.name in first["loc"]), None)
        where = f"{kind.title}, {called(field)}" if field is not None and called(field) else kind.title
        raise InputError(f"{where}: {first['msg'].removeprefix('Value error, ').lower()}.", kept=_KEPT) from error


def called(entry: Entry) -> str:
    """What a field is called in a sentence: the words around it."""
    return " ".join(filter(None, (entry.before, "…" if entry.after and entry.before else "", entry.after)))


def _value(entry: Entry, text: str, what: str) -> Any:
    """None where the component's own usual value is to stand."""
    if entry.what == "switch":
        return text == YES
    if entry.what == "choice":
        return text or entry.choices[0]
    if not text:
        if entry.may_lack:
            return None
        raise InputError(tr("{what}: a number is wanted.", what=what), kept=_KEPT)
    if entry.what == "whole":
        return typed_whole(text, what, least=0)
    if entry.what == "factors":
        return _factors(text, what)
    return typed_number(text, what, least=0)


def _factors(text: str, what: str) -> dict[str, Decimal]:
    """'fine 1, fast 0.5, * 1': the last word of each is its number."""
    out: dict[str, Decimal] = {}
    for one in text.split(","):
        model, _, number = one.strip().rpartition(" ")
        if not model:
            raise InputError(tr("{what}: '{one}' is no model with a number.", what=what, one=one.strip()), kept=_KEPT,
                             remedy=tr("Write it like: fine 1, fast 0.5, * 1."))  # fmt: skip
        out[model.strip()] = typed_number(number, what, least=0)
    return out


def typed_of(part: Part) -> Typed:
    """A component back in its fields; ``part_of`` of it is the component again."""
    values = part.model_dump()
    return Typed(str(values["kind"]), {e.name: _text(e, values[e.name]) for e in type(part).form})


def _text(entry: Entry, value: Any) -> str:
    if value is None or (entry.may_lack and value == 0):
        return ""
    match entry.what:
        case "switch":
            return YES if value else ""
        case "choice":
            return str(value)
        case "whole":
            return f"{value:,}"
        case "factors":
            return ", ".join(f"{model} {factor:f}" for model, factor in cast(dict[str, Decimal], value).items())
        case _:
            return f"{value:f}"
