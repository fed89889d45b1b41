"""A role of the channel that a voice is chosen for: whom it wants, how it weighs, and how much it says."""

from __future__ import annotations

import contextlib
import re
from collections.abc import Iterable, Mapping
from decimal import Decimal
from typing import Any, Final

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from zestpanel.core.texts import tr

ROLES: Final = ("main narrator", "second voice", "drafts", "patches", "adverts", "fall-back")
MOST_ROLES: Final = 20
LONGEST_NAME: Final = 80


class SetTo(BaseModel):
    """What a person has set of a criterion; None is as it starts. bars: what is not acceptable is a must-have."""

    model_config = ConfigDict(frozen=True)
    worst: float | None = Field(default=None, allow_inf_nan=False)
    best: float | None = Field(default=None, allow_inf_nan=False)
    weight: float | None = Field(default=None, ge=0, allow_inf_nan=False)
    bars: bool = False


class Role(BaseModel):
    """id: under which decisions are kept; it never changes. language: BCP 47, '' is the brief's first. tags: of the
    passages that quality is read from, none for all. must_haves and criteria: its own, None for the brief's and the
    shared ones. share_percent: how much of the channel's finished minutes it says, in its language. retakes_percent:
    None is the brief's. not_engine_of and not_voice_of: the roles (ids) whose engine, or voice, it must not have.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    id: str = Field(pattern=r"^[a-z0-9][a-z0-9-]{0,79}$")
    name: str = Field(min_length=1, max_length=LONGEST_NAME)
    language: str = ""
    tags: tuple[str, ...] = ()
    must_haves: tuple[str, ...] | None = None
    criteria: Mapping[str, SetTo] | None = None
    share_percent: Decimal = Field(default=Decimal(100), ge=0, le=1_000)
    retakes_percent: Decimal | None = Field(default=None, ge=0, le=1_000)
    not_engine_of: tuple[str, ...] = ()
    not_voice_of: tuple[str, ...] = ()


def id_for(name: str, taken: Iterable[str]) -> str:
    """A new role's id, from its name as it is now."""
    stem = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:60] or "role"
    others = set(taken)
    return next(one for one in (stem, *(f"{stem}-{k}" for k in range(2, len(others) + 3))) if one not in others)


def usual_roles() -> tuple[Role, ...]:
    """What a new project starts with."""
    return roles_named(("main narrator", "fall-back"))


def roles_named(names: Iterable[str]) -> tuple[Role, ...]:
    """Roles by their names alone. A fall-back is on another engine than the first role, and says nothing in a usual
    month."""
    out: list[Role] = []
    for name in names:
        more: dict[str, Any] = {}
        if name == "fall-back" and out:
            more = {"not_engine_of": (out[0].id,), "share_percent": Decimal(0)}
        out.append(Role(id=id_for(name, [one.id for one in out]), name=name, **more))
    return tuple(out)


def sensible(values: Iterable[Any]) -> tuple[Role, ...]:
    """Those that make sense of what anybody may have written, without rules about roles that there are not; the usual
    ones where none does."""
    out: dict[str, Role] = {}
    for value in values:
        with contextlib.suppress(ValidationError):
            role = Role.model_validate(value)
            if role.id not in out and role.name.casefold() not in {one.name.casefold() for one in out.values()}:
                out[role.id] = role
    if not out:
        return usual_roles()
    return tuple(
        one.model_copy(update={field: tuple(i for i in getattr(one, field) if i in out and i != one.id)
                               for field in ("not_engine_of", "not_voice_of")})
        for one in list(out.values())[:MOST_ROLES]
    )  # fmt: skip


def checked(roles: tuple[Role, ...]) -> tuple[Role, ...]:
    """Raises ValueError for none, for too many, for two of one name or id, and for a rule about no other role."""
    if not roles:
        raise ValueError(tr("there is at least one role"))
    if len(roles) > MOST_ROLES:
        raise ValueError(tr("at most {most_roles} roles", most_roles=MOST_ROLES))
    ids = [one.id for one in roles]
    if len(set(ids)) < len(ids) or len({one.name.casefold() for one in roles}) < len(ids):
        raise ValueError(tr("two roles have one name"))
    for one in roles:
        if odd := {*one.not_engine_of, *one.not_voice_of} - (set(ids) - {one.id}):
            raise ValueError(tr("{role} is to be unlike '{other}', which is no other role", role=one.name,
                                other=min(odd)))  # fmt: skip
    return roles
