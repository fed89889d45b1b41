"""Adding, changing and removing the channel's roles."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from decimal import Decimal
from typing import Any, Final, Protocol

from pydantic import ValidationError

from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.role import LONGEST_NAME, Role, checked, id_for
from zestpanel.core.errors import InputError
from zestpanel.core.texts import tr, word
from zestpanel.core.typed import typed_language, typed_number

# what is typed of a role, beside its name
FIELDS: Final[Mapping[str, str]] = {
    "language": tr("language"),
    "share_percent": tr("share of the minutes, %"),
    "retakes_percent": tr("retakes, of 100"),
    "tags": tr("kinds of text (tags)"),
    "must_haves": tr("must-haves"),
    "not_engine_of": tr("not on the engine of"),
    "not_voice_of": tr("not the voice of"),
}
_LISTS: Final = ("tags", "must_haves", "not_engine_of", "not_voice_of")
AS_THE_BRIEF: Final = "brief"  # typed for must-haves that are the brief's own


class EditsBrief(Protocol):
    """What roles are kept in."""

    @property
    def brief(self) -> Brief: ...
    def set_brief(self, brief: Brief, *, label: str = "brief") -> None: ...


def set_roles(project: EditsBrief, roles: Sequence[Role]) -> None:
    """All of them, in their order. Raises InputError; nothing is changed then."""
    try:
        checked(tuple(roles))
    except ValueError as error:
        raise InputError(f"{error}.", kept=tr("Nothing was changed.")) from error
    before = project.brief
    if tuple(roles) != before.roles:
        project.set_brief(before.model_copy(update={"roles": tuple(roles)}), label=tr("roles"))


def role_named(roles: Sequence[Role], name: str) -> Role:
    """By its id, or by its name whatever its case. Raises InputError."""
    for one in roles:
        if name.strip().casefold() in (one.id, one.name.casefold()):
            return one
    raise InputError(
        tr("There is no role '{role}'.", role=name), kept=tr("Nothing was changed."),
        remedy=tr("The roles are: {names}.", names=", ".join(one.name for one in roles)),
    )  # fmt: skip


def new_role(roles: Sequence[Role], name: str) -> Role:
    """One more; its id is of its name."""
    return _made({"id": id_for(name, [one.id for one in roles]), "name": _name(name)})


def changed(role: Role, typed: Mapping[str, str], roles: Sequence[Role]) -> Role:
    """A role with what is typed of it, by field. Other roles are named as they are called. Raises InputError."""
    values = role.model_dump()
    for field, text in typed.items():
        if field == "name":
            values["name"] = _name(text)
        elif field == "language":
            values["language"] = typed_language(text) if text.strip() else ""
        elif field == "share_percent":
            values[field] = typed_number(text, FIELDS[field], least=0) if text.strip() else Decimal(100)
        elif field == "retakes_percent":
            values[field] = typed_number(text, FIELDS[field], least=0) if text.strip() else None
        elif field == "must_haves" and text.strip() == AS_THE_BRIEF:
            values[field] = None
        elif field in _LISTS:
            parts = tuple(dict.fromkeys(part.strip() for part in text.split(",") if part.strip()))
            if field.startswith("not_"):
                parts = tuple(dict.fromkeys(role_named(roles, part).id for part in parts))
            values[field] = parts
        else:
            raise InputError(
                tr("A role has no '{field}'.", field=field), kept=tr("Nothing was changed."),
                remedy=tr("It has: {fields}.", fields=", ".join(("name", *FIELDS))),
            )  # fmt: skip
    return _made(values)


def typed_as(role: Role, field: str, roles: Sequence[Role]) -> str:
    """A field as one types it."""
    value = getattr(role, field)
    if field.startswith("not_"):
        names = {one.id: one.name for one in roles}
        return ", ".join(names.get(one, one) for one in value)
    if field == "must_haves":
        return AS_THE_BRIEF if value is None else ", ".join(value)
    if field == "tags":
        return ", ".join(value)
    return "" if value is None else f"{value.normalize():f}" if isinstance(value, Decimal) else str(value)


def _name(text: str) -> str:
    name = " ".join(text.split())
    if not name or len(name) > LONGEST_NAME:
        raise InputError(
            tr("A role has a name, of {longest} characters at most.", longest=LONGEST_NAME),
            kept=tr("Nothing was changed."),
        )
    return name


def _made(values: Mapping[str, Any]) -> Role:
    try:
        return Role.model_validate(values)
    except ValidationError as error:
        first = error.errors()[0]
        what = FIELDS.get(str(first["loc"][0]), str(first["loc"][0]))
        raise InputError(f"{word(what)}: {first['msg']}.", kept=tr("Nothing was changed.")) from error
