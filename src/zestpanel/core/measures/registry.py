"""All families of measures: found by standing in ``families``, each with its measures."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from functools import cache
from importlib import import_module
from pkgutil import iter_modules

from zestpanel.core.audio.clip import Clip
from zestpanel.core.domain.take import Measured, WordTimes
from zestpanel.core.measures import families as _families
from zestpanel.core.measures.declared import Family, Material, Measure, Value
from zestpanel.core.measures.families.word_times import NAME as WORD_TIMES
from zestpanel.core.measures.tracks import Kind


@cache
def families() -> tuple[Family, ...]:
    """In the order their measures are shown."""
    names = [one.name for one in iter_modules(_families.__path__)]
    found: list[Family] = [import_module(f"{_families.__name__}.{name}").FAMILY for name in names]
    return tuple(sorted(found, key=lambda family: family.place))


@cache
def measures() -> Mapping[str, Measure]:
    """By name, in the order they are shown."""
    return {measure.name: measure for family in families() for measure in family.measures}


@cache
def kinds() -> Mapping[str, Kind]:
    """Of stretches, by name."""
    return {kind.name: kind for family in families() for kind in family.kinds}


@cache
def versions(*, slow: bool = False) -> Mapping[str, int]:
    """Of each family that is measured by itself, as it measures now; slow: of those that are asked for, too."""
    return {family.name: family.version for family in families() if slow or not family.slow}


@cache
def family_of(name: str) -> str:
    """The family that a measure, or what is stored beside it, belongs to."""
    return next(family.name for family in families() if name in family.keys)


def listed() -> dict[str, Measure]:
    """The measures of card, Evidence and tables."""
    return {name: one for name, one in measures().items() if one.shown}


def measure(
    clip: Clip,
    text: str,
    language: str,
    from_reply: WordTimes = (),
    *,
    only: Collection[str] = (),
    before: Measured | None = None,
) -> Measured:
    """All figures of one clip; a figure that cannot be had is None, with its reason under 'NAME_why'.

    only: families to measure, all that are not slow where it is empty; what ``before`` says of the others stands.
    """
    asked = [family for family in families() if (family.name in only if only else not family.slow)]
    told = {family.name for family in asked}
    known = (before.words, before.words_by) if before is not None and WORD_TIMES not in told else None
    material = Material(clip, text, language, from_reply, known)
    values: dict[str, Value] = dict(before.values) if before is not None else {}
    segments = list(before.segments) if before is not None else []
    curves = dict(before.curves) if before is not None else {}
    for family in asked:
        values = {name: value for name, value in values.items() if name not in family.keys}
        values |= family.values(material)
        if family.tracks is not None:
            own = {kind.name for kind in family.kinds}
            found = family.tracks(material)
            segments = [one for one in segments if one.kind not in own] + list(found.segments)
            curves = {name: one for name, one in curves.items() if name not in family.curves} | dict(found.curves)
    words, by = material.words
    kept = dict(before.versions) if before is not None else {}
    return Measured(values=values, words=words, words_by=by, curves=curves,
                    segments=tuple(sorted(segments, key=lambda one: (one.start_s, one.kind))),
                    versions={**kept, **{family.name: family.version for family in asked}})  # fmt: skip


def outdated(found: Measured | None, *, slow: bool = False) -> list[str]:
    """Families that have to be measured anew, all of them for a take that was never measured. slow: as in
    ``versions``."""
    every = versions(slow=slow)
    return [name for name, version in every.items() if found is None or found.version_of(name) < version]


def as_table() -> str:
    """The measures with their rules, as docs/methods.md shows them."""
    lines = [
        "| measure | unit | rule | source | rests on | languages | family, version |",
        "|---|---|---|---|---|---|---|",
    ]
    for family in families():
        for one in family.measures:
            languages = ", ".join(one.languages) or "all"
            cells = (one.words, one.unit or "–", one.rule, one.source, one.rests_on, languages,
                     f"{family.name}, {family.version}")  # fmt: skip
            lines.append(f"| {' | '.join(cells)} |")
    return "\n".join(lines)
