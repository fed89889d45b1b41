"""Clips out of the project, under names that tell engine, voice, passage and take."""

from __future__ import annotations

import shutil
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Final, Protocol

from zestpanel.core.audio.kinds import kind_of_sound
from zestpanel.core.connectors.folder import plain
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.passage import Passage
from zestpanel.core.domain.take import Take
from zestpanel.core.errors import InputError
from zestpanel.core.store.parts import HasTakes, HasTexts
from zestpanel.core.texts import tr


class RenderedParts(HasTexts, HasTakes, Protocol):
    """Takes and what they speak."""


_LONGEST: Final = 40  # characters of a part of a name


def clip_name(name: str, number: int, passage: Passage, take: Take, extension: str) -> str:
    """'tangor-ilseth-tuned_03-the-frost-year_take-2.flac'. name: the candidate's, as lists show it."""
    title = plain(passage.title)[:_LONGEST].strip("-") or "passage"
    return f"{plain(name)[:_LONGEST].strip('-')}_{number:02d}-{title}_take-{take.repeat}.{extension}"


def export_clips(
    project: RenderedParts,
    takes: Sequence[Take],
    candidates: Sequence[Candidate],
    names: Mapping[int, str],
    folder: Path,
) -> list[Path]:  # fmt: skip
    """Copy takes as they were delivered into a folder; the files written. Nothing there is ever written over.

    Raises InputError where a file cannot be written; those written before it stay.
    """
    passages = {p.version_id: (n, p) for n, p in enumerate(project.texts.all(), 1)}
    known = {c.id for c in candidates}
    out: list[Path] = []
    for take in takes:
        if take.candidate_id not in known or take.passage_version_id not in passages:
            continue
        source = project.takes.delivered_path(take)
        number, passage = passages[take.passage_version_id]
        try:
            with source.open("rb") as file:
                extension = kind_of_sound(file.read(64)) or "bin"
            name = clip_name(names.get(take.candidate_id, "candidate"), number, passage, take, extension)
            target = _free(folder / name)
            shutil.copyfile(source, target)
        except OSError as error:
            raise InputError(
                tr(
                    "Take {repeat} of '{title}' could not be written ({strerror}).",
                    repeat=take.repeat,
                    title=passage.title,
                    strerror=error.strerror,
                ),
                kept=tr("{out} clips were written before it.", out=len(out)),
                remedy=tr("Choose another folder."),
            ) from error
        out.append(target)
    return out


def _free(path: Path) -> Path:
    """The path itself, or with a number where something is there already."""
    number = 2
    found = path
    while found.exists():
        found = path.with_stem(f"{path.stem}-{number}")
        number += 1
    return found
