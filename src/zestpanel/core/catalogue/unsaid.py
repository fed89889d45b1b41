"""What a file that is brought in has to say, and cannot say: checked once, at the door. What was kept before stays."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date, timedelta
from typing import Any

from pydantic import BaseModel

from zestpanel.core import clock
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.errors import ConnectorError, InputError
from zestpanel.core.money.components.allowance import Allowance
from zestpanel.core.texts import tr
from zestpanel.core.typed import typed_language

_TOMORROW = timedelta(days=1)  # it may be that already, where the file was written


def refuse_unsaid(engine: Engine, *, name: str) -> None:
    """Raises ConnectorError for an amount included that does not say how often, a day to come, a place beyond the last
    one, or a language that nobody knows."""
    if found := next(_oddities(engine), None):
        what, remedy = found
        raise ConnectorError(f"{name}: {what}", kept=tr("Nothing was added."), remedy=remedy)


def _oddities(engine: Engine) -> Iterator[tuple[str, str]]:
    for plan in engine.plans:
        for part in plan.tariff.components:
            if isinstance(part, Allowance) and "every" not in part.model_fields_set:
                yield (
                    tr("what is included in '{plan}' does not say how often it is.", plan=plan.name),
                    tr("Write every: day, week, month or year beside its amount."),
                )
    for where, day in _days(engine, ""):
        if day > clock.today() + _TOMORROW:
            yield tr("{where} is a day to come ({day}).", where=where, day=day), tr("Write the day it was seen.")
    for rank in engine.outside:
        if rank.of is not None and rank.rank > rank.of:
            yield (
                tr("place {rank} of {of} in '{board}' is none.", rank=rank.rank, of=rank.of, board=rank.board),
                tr("Write the place first, then how many there are."),
            )
    for voice in engine.voices:
        for tag in voice.languages:
            if not _is_known(tag):
                yield (
                    tr("'{tag}', which {voice} speaks, is no language tag.", tag=tag[:40], voice=voice.label),
                    tr("Write a tag such as en-GB, fr or zh-Hant-TW."),
                )


def _days(part: Any, where: str) -> Iterator[tuple[str, date]]:
    """Days on which something was found or stated; until when, and by when, lie ahead rightly."""
    if isinstance(part, BaseModel):
        for field in type(part).model_fields:
            value = getattr(part, field)
            if isinstance(value, date) and field in ("dated", "found"):
                yield f"{where}{field}", value
            else:
                yield from _days(value, f"{where}{field}.")
    elif isinstance(part, tuple | list):
        for number, one in enumerate(part, 1):
            yield from _days(one, f"{where}{number}.")
    elif isinstance(part, dict):
        for key, one in part.items():
            yield from _days(one, f"{where}{key}.")


def _is_known(tag: str) -> bool:
    """By its language and script; regions and variants are many."""
    parts = tag.replace("_", "-").split("-")
    try:
        typed_language(parts[0])
    except InputError:
        return False
    return len(parts) <= 4 and all(part.isalnum() and len(part) <= 8 for part in parts)
