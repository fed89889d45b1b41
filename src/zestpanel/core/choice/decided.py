"""What was decided: who fills which role, why, by whom and when, and what it rested on. Nothing is ever erased."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date
from typing import Any, Final

from pydantic import BeforeValidator

from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.role import id_for
from zestpanel.core.store.documents import Documents
from zestpanel.core.store.stored import Readable, Stored
from zestpanel.core.texts import capital, word


@dataclass(frozen=True, slots=True, kw_only=True)
class RestsOn:
    """What stood there when it was decided. among: how many could be ranked; first: chance of first place; month: as
    shown, in the brief's currency; simulated: ratings that no person gave; priced: the day of the prices; leader: who
    came first. weighed: by criterion (weight, worst, best). digest: SHA-256 of all evidence in the role."""

    place: int | None = None
    among: int = 0
    first: float | None = None
    month: str = ""
    score: float | None = None
    listeners: int = 0
    simulated: int = 0
    failed: int = 0
    requests: int = 0
    model_version: str = ""
    plan: str = ""
    priced: str = ""
    leader: int | None = None
    weighed: Mapping[str, tuple[float, float, float]] = field(default_factory=dict)
    digest: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Decision:
    """role: its id; role_name: as it was called then. candidate_id: None where nothing was good enough. may_reopen:
    who may, '' for anybody; look_again: on which day (ISO), '' for never. taken_back: when, '' while it stands."""

    role: str
    role_name: str = ""
    candidate_id: int | None
    runner_up_id: int | None = None
    why: str
    by: str
    decided: str
    may_reopen: str = ""
    look_again: str = ""
    rests_on: RestsOn | None = None
    taken_back: str = ""

    def called(self, brief: Brief) -> str:
        """The role as it is called now, or was then."""
        role = brief.role(self.role)
        return word(role.name if role is not None else self.role_name or self.role)

    def title(self, brief: Brief) -> str:
        return capital(self.called(brief))


def _as_decision(value: Any) -> Any:
    """As earlier programs kept it: by the role's name. A day that is none is no day to look again on."""
    if not isinstance(value, dict):
        return value
    if again := value.get("look_again"):
        try:
            date.fromisoformat(again)
        except (ValueError, TypeError):
            value = {**value, "look_again": ""}
    name = value.get("role")
    if isinstance(name, str) and not re.fullmatch(r"[a-z0-9][a-z0-9-]*", name):
        return {"role_name": name, **value, "role": id_for(name, ())}
    return value


DECISIONS: Final[Stored[tuple[Decision, ...]]] = Stored(
    "decisions", Readable(Decision, BeforeValidator(_as_decision)), ()
)


def every_decision(documents: Documents) -> tuple[Decision, ...]:
    """The earliest first, those taken back or followed by another as well."""
    return DECISIONS.read(documents)


def decisions(documents: Documents) -> list[Decision]:
    """Those that stand: the last of each role, unless it was taken back."""
    last = {one.role: one for one in every_decision(documents)}
    return [one for one in last.values() if not one.taken_back]
