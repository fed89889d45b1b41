"""Takes heard by recognisers and predictors of the person's own, which are kept with the project."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Final

from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.connectors import ears
from zestpanel.core.domain.take import Measured, Take
from zestpanel.core.errors import InputError, SynthesisFailure, ZestError
from zestpanel.core.measures.families import words
from zestpanel.core.measures.words_heard import written_down
from zestpanel.core.measures.words_told import KINDS, words_told
from zestpanel.core.store.documents import Documents
from zestpanel.core.store.stored import Stored
from zestpanel.core.store.takes import Takes
from zestpanel.core.store.texts import Texts
from zestpanel.core.texts import tr
from zestpanel.core.waiting import give_way, is_given_up

_FILES: Final[Stored[dict[str, str]]] = Stored("ears", dict[str, str], {})  # a file's text by the name of what listens
PREDICTED: Final = "predicted "  # before a predictor's name, among the values of a take
_HEARD_BY: Final = "heard by "  # before a predictor's name: which version gave its figure
MOST_FAILURES: Final = 3  # in a row


def kept(documents: Documents) -> dict[str, Engine]:
    """By name; files that cannot be understood are left out."""
    out = {}
    for name, text in _FILES.read(documents).items():
        try:
            out[name] = parse_connector(text, name=name, kept=True)
        except ZestError:
            continue
    return out


def add(documents: Documents, text: str, name: str) -> Engine:
    """A file more, or one of the same name anew. Raises ConnectorError, InputError."""
    ear = parse_connector(text, name=name)
    if ear.hears is None:
        raise InputError(
            tr("{name} makes sound, and does not listen: it has no 'hears'.", name=name),
            kept=tr("Nothing was added."), remedy=tr("Add it in Engines."),
        )  # fmt: skip
    _FILES.write(documents, {**_FILES.read(documents), ear.engine: text})
    return ear


def remove(documents: Documents, name: str) -> None:
    """What it told stays with the takes."""
    _FILES.write(documents, {one: text for one, text in _FILES.read(documents).items() if one != name})


def unheard(takes: Takes, texts: Texts, ear: Engine) -> list[Take]:
    """Takes in its languages that this version of it has told nothing of."""
    measured, name = takes.measured(), ears.name_of(ear)
    out = []
    for take in takes.all():
        language = texts.version_text(take.passage_version_id)[1]
        values = measured[take.id].values if take.id in measured else None
        if values is not None and ears.hears_language(ear, language) and values.get(_key(ear)) != name:
            out.append(take)
    return out


def _key(ear: Engine) -> str:
    assert ear.hears is not None
    return "heard_by" if ear.hears.gives == "words" else _HEARD_BY + ear.engine


def hear_takes(
    takes: Takes, texts: Texts, ear: Engine, *, on_take: Callable[[Take], None] = lambda _: None
) -> tuple[int, list[str]]:
    """Have it listen to what it has not heard: (how many were told of, sentences on those that were not). After three
    failures in a row it is asked no more."""
    done, problems, in_row = 0, list[str](), 0
    for take in unheard(takes, texts, ear):
        give_way()
        text, language = texts.version_text(take.passage_version_id)
        try:
            told = _told(ear, takes, take, text, language)
        except ZestError as failure:
            problems.append(tr("Take {id}: {error}", id=take.id, error=failure))
            in_row += 1
            if in_row >= MOST_FAILURES or getattr(failure, "kind", "") == "refused":
                break
            continue
        takes.put_measured(take.id, told)
        done, in_row = done + 1, 0
        on_take(take)
    return done, problems


def _told(ear: Engine, takes: Takes, take: Take, text: str, language: str) -> Measured:
    before = takes.measured([take.id], tracks=True)[take.id]
    name, clip = ears.name_of(ear), takes.load(take)
    assert ear.hears is not None
    if ear.hears.gives == "figure":
        value = ears.figure(ear, clip, language, is_given_up)
        return replace(before, values={**before.values, PREDICTED + ear.engine: value, _key(ear): name})
    heard = written_down(text, language, ears.listen(ear, clip, language, is_given_up), by=name)
    if isinstance(heard, str):
        raise SynthesisFailure("bad text", heard)
    own = {kind.name for kind in KINDS}
    segments = [one for one in before.segments if one.kind not in own]
    segments += words_told(heard.pairs, text, language, before.words, clip.duration_s)
    values = {key: value for key, value in before.values.items() if key not in words.FAMILY.keys}
    return replace(
        before, values={**values, **words.values_of(heard)},
        segments=tuple(sorted(segments, key=lambda one: (one.start_s, one.kind))),
        versions={**before.versions, words.FAMILY.name: words.FAMILY.version},
    )  # fmt: skip
