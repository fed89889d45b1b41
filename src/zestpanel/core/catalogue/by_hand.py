"""What a person states of an engine beside its file: kept apart from it, and laid over it.

Where the file is silent the person's word stands; what the file says is changed by a person only where the person says
so: a model by its id, a voice by its id, a limit by its name. Claims and rankings come beside the file's own.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from typing import Any, Final, Literal, TypeVar

import yaml
from pydantic import Field, ValidationError

from zestpanel.core.catalogue.facts import Engine, Limits, Model, Voice
from zestpanel.core.catalogue.outside import Claim, OutsideRank
from zestpanel.core.catalogue.reaching import Stated
from zestpanel.core.errors import InputError
from zestpanel.core.texts import tr

Listed = Literal["models", "voices", "claims", "outside"]
LISTED: Final[dict[Listed, type]] = {"models": Model, "voices": Voice, "claims": Claim, "outside": OutsideRank}
_KEPT: Final = tr("Nothing was changed.")


_Named = TypeVar("_Named", bound=Model | Voice)


class ByHand(Stated):
    """All that was stated by hand of one engine."""

    vendor: str = ""
    link: str = Field(default="", description=tr("where it is described"))
    note: str = ""
    recommended_by: str = ""
    found: date | None = None
    limits: Limits | None = None
    models: tuple[Model, ...] = ()
    voices: tuple[Voice, ...] = ()
    claims: tuple[Claim, ...] = ()
    outside: tuple[OutsideRank, ...] = ()


def _over(own: Sequence[_Named], stated: Sequence[_Named]) -> tuple[_Named, ...]:
    """The file's, each changed where something of the same id is stated, and what is new behind them."""
    if not stated:
        return tuple(own)
    by_id = {one.id: one for one in stated}
    known = {one.id for one in own}
    out = [by_id.get(one.id, one) for one in own]
    out += [one for one in stated if one.id not in known]
    return tuple(out)


def amended(engine: Engine, by_hand: ByHand) -> Engine:
    """The engine with what was stated of it by hand."""
    update: dict[str, Any] = {
        "vendor": by_hand.vendor or engine.vendor, "note": by_hand.note or engine.note,
        "source": by_hand.link or engine.source, "recommended_by": by_hand.recommended_by or engine.recommended_by,
        "found": by_hand.found or engine.found, "models": _over(engine.models, by_hand.models),
        "voices": _over(engine.voices, by_hand.voices), "claims": (*engine.claims, *by_hand.claims),
        "outside": (*engine.outside, *by_hand.outside),
    }  # fmt: skip
    if by_hand.limits is not None:
        said = by_hand.limits.model_dump(exclude_unset=True)
        update["limits"] = engine.limits.model_copy(update={k: v for k, v in said.items() if v is not None})
    return engine.model_copy(update=update)


def entry_of(listed: Listed, texts: dict[str, Any]) -> Any:
    """A model, a voice, a claim or a ranking as typed; empty fields are left out. Raises InputError naming the
    field."""
    return _checked(LISTED[listed], texts)


def limits_of(texts: dict[str, Any]) -> Limits:
    """Raises InputError."""
    found: Limits = _checked(Limits, texts)
    return found


def _checked(kind: Any, texts: dict[str, Any]) -> Any:
    try:
        return kind.model_validate({name: value for name, value in texts.items() if value not in ("", None, ())})
    except ValidationError as error:
        first = error.errors()[0]
        field = str(first["loc"][0]).replace("_", " ") if first["loc"] else "this"
        raise InputError(f"{field[:1].upper()}{field[1:]}: {first['msg'].lower()}.", kept=_KEPT) from error


def heard_of_text(name: str, *, link: str) -> str:
    """The file of an engine that was merely heard of. Raises InputError without a name."""
    if not name.strip():
        raise InputError(tr("The engine needs a name."), kept=tr("Nothing was added."))
    document = {"zest-connector": 1, "engine": name.strip(), "source": link.strip(), "speak": {"kind": "heard of"}}
    return yaml.safe_dump(document, sort_keys=False, allow_unicode=True)
