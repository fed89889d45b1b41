"""A cast dialogue as sound: each turn by its speaker's candidate, with gaps, one file or one a turn, with captions."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

from zestpanel.core.audio.clip import Clip
from zestpanel.core.domain.passage import Passage
from zestpanel.core.domain.take import Take
from zestpanel.core.errors import InputError
from zestpanel.core.measures.joining import join
from zestpanel.core.runs.files.captions import Caption, captions_of
from zestpanel.core.runs.plan.planning import PlannedRun, PlanningParts, asked_alike, plan_run
from zestpanel.core.store.parts import HasDialogues, HasSending, HasShortlist, HasTakes
from zestpanel.core.texts import tr


class DialogueParts(HasDialogues, HasShortlist, HasSending, HasTakes, Protocol):
    """Dialogues, and what speaks their turns."""


class DialoguePlanning(PlanningParts, HasDialogues, Protocol):
    """Dialogues, and what a run of their turns rests on."""


@dataclass(frozen=True, slots=True, kw_only=True)
class PlayedDialogue:
    """A dialogue put together: the whole clip and its captions in the order they are said."""

    clip: Clip
    captions: tuple[Caption, ...]
    turns: tuple[tuple[Passage, Take], ...]


def plan_dialogue(project: DialoguePlanning, name: str) -> PlannedRun:
    """The turns that are still missing, each for the candidate its speaker is cast with."""
    cast = project.dialogues.cast(name)
    turns = [t for t in project.dialogues.turns(name) if t.speaker in cast]
    wanted = {(cast[t.speaker], t.id) for t in turns}
    candidates = [c for c in project.shortlist.candidates() if c.id in set(cast.values())]
    return plan_run(
        project, candidates=candidates, passages=turns, only=lambda c, p: (c.id, p.id) in wanted
    )  # fmt: skip


def takes_of(project: DialogueParts, name: str) -> list[tuple[Passage, Take | None]]:
    """Each turn with the take that speaks it now, None where it is missing, stale or not cast."""
    cast = project.dialogues.cast(name)
    candidates = {c.id: c for c in project.shortlist.candidates()}
    engines = project.shortlist.engines()
    by_cell: dict[tuple[int, int], list[Take]] = {}
    for take in project.takes.all(with_timing=False):
        by_cell.setdefault((take.candidate_id, take.passage_version_id), []).append(take)
    out: list[tuple[Passage, Take | None]] = []
    for turn in project.dialogues.turns(name):
        candidate = candidates.get(cast.get(turn.speaker, -1))
        engine = engines.get(candidate.engine) if candidate else None
        there = by_cell.get((candidate.id, turn.version_id), []) if candidate else []
        if candidate and engine:
            sent = project.sending.of(candidate, turn, engine)
            there = [t for t in there if asked_alike(t, sent)]
        out.append((turn, next((t for t in there if t.starred), there[0] if there else None)))
    return out


def assembled_dialogue(project: DialogueParts, name: str) -> PlayedDialogue:
    """The dialogue as one clip with captions. Raises InputError where a turn has no take yet."""
    found = takes_of(project, name)
    missing = [turn for turn, take in found if take is None]
    if not found or missing:
        what = (
            tr(
                "{missing} of {found} turns of '{name}' are not rendered",
                missing=len(missing),
                found=len(found),
                name=name,
            )
            if found
            else tr("'{name}' has no turns", name=name)
        )
        raise InputError(
            f"{what}.", kept=tr("Nothing was written."), remedy=tr("Cast every speaker and render the dialogue.")
        )
    there = [(turn, take) for turn, take in found if take is not None]
    clips = [project.takes.load(take) for _, take in there]
    clip, begins = join(clips, project.dialogues.gaps_s(name))
    captions: list[Caption] = []
    measured = project.takes.measured([take.id for _, take in there])
    for (turn, take), one, begin in zip(there, clips, begins, strict=True):
        captions += captions_of(turn, one, measured.get(take.id), begin)
    return PlayedDialogue(clip=clip, captions=tuple(captions), turns=tuple(there))
