"""A cast dialogue as one clip that listeners can judge: a candidate of its own, heard and compared, and never chosen.

Every cast of a dialogue that is kept so stands beside the others on one passage, which holds the words of all turns:
whatever a listening test asks of two candidates it asks of two casts.
"""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final, Protocol

import yaml

from zestpanel.core.catalogue.candidate import short_names
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.passage import Passage
from zestpanel.core.domain.take import Take
from zestpanel.core.errors import InputError
from zestpanel.core.runs.files.dialogue import DialogueParts, assembled_dialogue
from zestpanel.core.store.parts import HasTexts
from zestpanel.core.store.texts import NewText
from zestpanel.core.texts import tr

CASTS: Final = "Casts"  # the engine that all of them stand under
PUT_TOGETHER: Final = "put together"


class StagedParts(DialogueParts, HasTexts, Protocol):
    """Dialogues, what speaks them, and the texts."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Staged:
    """known: it was kept before, of the same takes."""

    passage: Passage
    candidate: Candidate
    take: Take
    known: bool


def keep_as_one(project: StagedParts, name: str) -> Staged:
    """The dialogue, as it is cast and rendered now, as one take. Raises InputError where a turn has no take yet, or all
    of it is longer than a passage."""
    whole = assembled_dialogue(project, name)
    turns = [turn for turn, _ in whole.turns]
    text = "\n".join(f"{turn.speaker}: {turn.text}" for turn in turns)
    title = tr("{name}, the whole", name=name)
    there = next((p for p in project.texts.all() if p.title == title), None)
    if there is None:
        there = project.texts.add([NewText(text=text, title=title)], language=turns[0].language)[0]
    else:
        there = project.texts.edit(there.id, text)
    candidate = _candidate(project, project.dialogues.cast(name), there.language)
    takes = [take for take in project.takes.all(with_timing=False)
             if (take.candidate_id, take.passage_version_id) == (candidate.id, there.version_id)]  # fmt: skip
    of = [take.id for _, take in whole.turns]
    same = next((take for take in takes if (take.brought or {}).get("takes") == of), None)
    if same is not None:
        return Staged(passage=there, candidate=candidate, take=same, known=True)
    take = project.takes.keep(
        whole.clip, candidate_id=candidate.id, passage_version_id=there.version_id, repeat=len(takes) + 1,
        obtained=PUT_TOGETHER, brought={"file": name, "takes": of},
    )  # fmt: skip
    return Staged(passage=there, candidate=candidate, take=take, known=False)


def _candidate(project: StagedParts, cast: Mapping[str, int], language: str) -> Candidate:
    """Of this cast: who speaks for whom is its voice."""
    shortlist = project.shortlist
    names = short_names(shortlist.candidates(), shortlist.engines())
    key = hashlib.sha256(repr(sorted(cast.items())).encode()).hexdigest()[:12]
    label = ", ".join(f"{speaker}: {names.get(who, '?')}" for speaker, who in cast.items())
    engines = shortlist.engines()
    if CASTS in engines and not engines[CASTS].staged:
        raise InputError(tr("An engine of this project is called '{name}' already.", name=CASTS),
                         kept=tr("Nothing was added."), remedy=tr("Add it under another name."))  # fmt: skip
    voices = {one.id: (one.label, list(one.languages)) for one in engines[CASTS].voices} if CASTS in engines else {}
    speaks = voices[key][1] if key in voices else []
    if language not in speaks:
        voices[key] = (label, [*speaks, language])
        source = _file(voices)
        shortlist.add_engine(parse_connector(source, name=CASTS), source, f"{CASTS}.yaml")
    engine = shortlist.engines()[CASTS]
    known = [c for c in shortlist.candidates() if (c.engine, c.voice, c.language) == (CASTS, key, language)]
    return known[0] if known else shortlist.add(engine, voice=key, language=language)[0]


def _file(voices: Mapping[str, tuple[str, list[str]]]) -> str:
    """Its sound comes from here alone: no file is ever looked for."""
    document = {
        "zest-connector": 1, "engine": CASTS, "staged": True, "hosted": False,
        "voices": [{"id": key, "name": label, "languages": tags} for key, (label, tags) in voices.items()],
        "speak": {"kind": "folder", "folder": ".", "pattern": "*{voice} {passage}*"},
    }  # fmt: skip
    return yaml.safe_dump(document, sort_keys=False, allow_unicode=True)
