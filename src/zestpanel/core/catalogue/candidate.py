"""A candidate: engine + model and version + route + plan + voice + language + settings, dated."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence

from zestpanel.core.catalogue.facts import UNPRICED, Engine, Plan
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.texts import tr


def describe_settings(candidate: Candidate, engine: Engine | None) -> str:
    """'factory settings', or what differs from them: 'liveliness 1.3, pace 0.95'."""
    factory = engine.factory_settings() if engine else {}
    changed = [
        f"{name} {value:g}" if isinstance(value, float | int) and not isinstance(value, bool) else f"{name} {value}"
        for name, value in candidate.settings.items()
        if factory.get(name) != value
    ]
    return ", ".join(changed) or tr("factory settings")


def candidate_name(candidate: Candidate, engine: Engine | None) -> str:
    """'Engine · Voice', as shown in lists; 'Engine · Voice, earlier' for one whose sound ended."""
    voice = engine.voice(candidate.voice) if engine else None
    return f"{candidate.engine} · {voice.label if voice else candidate.voice}{', earlier' if candidate.ended else ''}"


def short_names(candidates: Sequence[Candidate], engines: Mapping[str, Engine]) -> dict[int, str]:
    """Names by candidate id, unique: candidates of one voice are told apart as 'tuned', 'tuned 2', by model, or, where
    they differ by nothing else, by plan."""
    plans: dict[object, list[Candidate]] = {}
    for candidate in candidates:
        plans.setdefault(candidate.sound_key, []).append(candidate)
    bought = {key: of for key, of in plans.items() if len({c.plan for c in of}) > 1}
    first_of = {c.id: bought.get(c.sound_key, [c])[0] for c in candidates}
    names = _told_apart([c for c in candidates if first_of[c.id] is c], engines)
    return {
        c.id: names[first_of[c.id].id]
        + (", " + (c.plan or tr("no plan")) if c.sound_key in bought else "")
        for c in candidates
    }  # fmt: skip


def _told_apart(candidates: Sequence[Candidate], engines: Mapping[str, Engine]) -> dict[int, str]:
    """Names by candidate id of candidates that differ in more than their plan."""
    names = {c.id: candidate_name(c, engines.get(c.engine)) for c in candidates}
    shared = {name for name, n in Counter(names.values()).items() if n > 1}
    tuned: Counter[str] = Counter()
    earlier: Counter[str] = Counter()
    taken: Counter[str] = Counter()
    for candidate in candidates:
        name = names[candidate.id]
        if name not in shared:
            continue
        if candidate.ended:
            earlier[name] += 1
            names[candidate.id] = f"{name} {earlier[name]}"
            continue
        if candidate.factory:
            taken[name] += 1
            names[candidate.id] = name if taken[name] == 1 else f"{name}, {candidate.model} {candidate.model_version}"
        else:
            tuned[name] += 1
            names[candidate.id] = tr("{name}, tuned", name=name) + (f" {tuned[name]}" if tuned[name] > 1 else "")
    return names


def candidate_detail(candidate: Candidate, engine: Engine | None) -> str:
    """'model · settings', the second line in lists; with the day its sound ended, where it did."""
    model = engine.model(candidate.model) if engine else None
    until = tr("until {ended_on}", ended_on=candidate.ended_on) if candidate.ended else ""
    parts = [until, model.label if model else candidate.model, describe_settings(candidate, engine)]
    return " · ".join(part for part in parts if part and part != "default")


def plan_of(candidate: Candidate, engine: Engine | None) -> Plan:
    """The plan the candidate is bought under; an unpriced one when none is stated."""
    return (engine.plan(candidate.plan) if engine else None) or UNPRICED


def superseded_by(candidate: Candidate, engine: Engine | None) -> str:
    """The version its model is stated to be of now, where that is another than the candidate's; '' where it is not.

    The version is part of what a candidate is: what is asked for now would be of the new one, under the old label.
    """
    model = engine.model(candidate.model) if engine is not None else None
    return model.version if model is not None and model.version != candidate.model_version else ""


def of_newer_version(candidate: Candidate, engine: Engine | None, others: Iterable[Candidate]) -> Candidate | None:
    """The same voice with the same settings under the version that is stated now; None where there is none."""
    stated = superseded_by(candidate, engine)
    if not stated:
        return None

    def alike(one: Candidate) -> tuple[object, ...]:
        return one.engine, one.model, one.route, one.voice, one.language, dict(one.settings)

    return next(
        (one for one in others if one.model_version == stated and not one.ended and alike(one) == alike(candidate)),
        None,
    )
