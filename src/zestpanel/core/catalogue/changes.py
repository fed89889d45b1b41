"""What an import or a fresh list of voices would change: new, changed and gone, shown before anything is taken over."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from pydantic import BaseModel

from zestpanel.core.catalogue.facts import Engine, Voice


@dataclass(frozen=True, slots=True, kw_only=True)
class Change:
    """state: 'new', 'changed' or 'gone'. what: in words, for 'changed' each field from and to."""

    state: str
    about: str
    name: str
    what: str = ""


def voice_changes(before: Sequence[Voice], after: Sequence[Voice]) -> list[Change]:
    return _changes("voice", {v.id: v for v in before}, {v.id: v for v in after})


def engine_changes(before: Engine, after: Engine) -> list[Change]:
    """Changes of an engine and of everything in it."""
    out = []
    own = {"voices", "models", "plans", "controls", "claims", "outside", "facts"}
    if what := _fields(before, after, skip=own):
        out.append(Change(state="changed", about="engine", name=after.engine, what=what))
    if what := _fields(before, after, only={"facts", "claims", "outside"}):
        out.append(Change(state="changed", about="facts", name=after.engine, what=what))
    out += voice_changes(before.voices, after.voices)
    out += _changes("model", {m.id: m for m in before.models}, {m.id: m for m in after.models})
    out += _changes("plan", {p.name: p for p in before.plans}, {p.name: p for p in after.plans})
    out += _changes("control", {c.name: c for c in before.controls}, {c.name: c for c in after.controls})
    return out


def _changes(about: str, before: Mapping[str, BaseModel], after: Mapping[str, BaseModel]) -> list[Change]:
    out = [Change(state="new", about=about, name=name) for name in after if name not in before]
    out += [
        Change(state="changed", about=about, name=name, what=what)
        for name, one in after.items()
        if name in before and (what := _fields(before[name], one))
    ]
    return out + [Change(state="gone", about=about, name=name) for name in before if name not in after]


def _fields(before: BaseModel, after: BaseModel, *, skip: set[str] | None = None, only: set[str] | None = None) -> str:
    return "; ".join(_parts(before, after, skip=skip, only=only))


def _parts(
    before: BaseModel, after: BaseModel, *, skip: set[str] | None = None, only: set[str] | None = None
) -> list[str]:
    parts = []
    for name in type(after).model_fields:
        if (skip and name in skip) or (only and name not in only):
            continue
        a, b = getattr(before, name), getattr(after, name)
        if isinstance(a, BaseModel) and type(a) is type(b):  # which of its parts: an address that changes must be seen
            parts += [f"{name} {part}" for part in _parts(a, b)]
        elif a != b:
            parts.append(f"{name}: {_short(a)} → {_short(b)}")
    return parts


def _short(value: object) -> str:
    if isinstance(value, tuple):
        value = ", ".join(map(str, value))
    text = str(value) if value not in ("", None) else "nothing"
    return text if len(text) <= 60 else text[:57] + "…"
