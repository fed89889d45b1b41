"""Decisions: who fills which role, why, by whom and when; and what stands against it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from zestpanel.core.choice.evidence import Evaluation
from zestpanel.core.choice.row import Row
from zestpanel.core.errors import InputError
from zestpanel.core.store.database import now
from zestpanel.core.store.documents import Documents
from zestpanel.core.store.parts import EditsDocuments
from zestpanel.core.store.stored import Stored
from zestpanel.core.texts import tr, word


@dataclass(frozen=True, slots=True, kw_only=True)
class Decision:
    role: str
    candidate_id: int
    runner_up_id: int | None
    why: str
    by: str
    decided: str


DECISIONS: Final[Stored[tuple[Decision, ...]]] = Stored("decisions", tuple[Decision, ...], ())


class NobodyHeardIt(InputError):
    """A voice is to be chosen that no listener has rated."""


def decisions(documents: Documents) -> list[Decision]:
    return list(DECISIONS.read(documents))


def decide(
    project: EditsDocuments,
    found: Evaluation,
    *,
    role: str,
    candidate_id: int,
    why: str,
    by: str,
    runner_up_id: int | None = None,
    though_unheard: bool = False,
) -> Decision:
    """Fill a role; an earlier decision for it is replaced, and can be had back by undo.

    though_unheard: a person has said that nobody need have heard it. Raises NobodyHeardIt; InputError: no reason given,
    or a gate is not met or unknown ('unknown' stops a choice as 'no' does).
    """
    if not why.strip():
        raise InputError(
            tr("A choice needs its reason, in a sentence."),
            kept=tr("Nothing was decided."),
            remedy=tr("Write why, for whoever reads it in three months."),
        )
    against = what_stands_against(found.rows[candidate_id])
    if against:
        raise InputError(
            tr("{name} cannot be chosen: {against}.", name=found.rows[candidate_id].name, against=against[0]),
            kept=tr("Nothing was decided."),
            remedy=tr("Find the fact out and put it into the connector file, or change the brief."),
        )
    if found.rows[candidate_id].score is None and not though_unheard:
        raise NobodyHeardIt(
            tr("Nobody has heard {name} in a test.", name=found.rows[candidate_id].name),
            kept=tr("Nothing was decided."),
            remedy=tr("Have it rated on the Listening tab, or say that it is to be chosen all the same."),
        )
    decision = Decision(
        role=role, candidate_id=candidate_id, runner_up_id=runner_up_id, why=why.strip(), by=by.strip(), decided=now()
    )
    others = [d for d in decisions(project.documents) if d.role != role]
    project.edit_document(DECISIONS, (*others, decision), label=tr("choice of {role}", role=role))
    return decision


def what_stands_against(row: Row) -> list[str]:
    """Gates not met or unknown, as words."""
    return [
        tr("'{name}' is {x} ({why})", name=g.name, x=tr("not met") if g.verdict == "no" else word("unknown"), why=g.why)
        for g in row.gates
        if g.verdict != "yes"
    ]


def suggest_runner_up(found: Evaluation, candidate_id: int) -> int | None:
    """The best of the ranking that meets every must-have, whatever its engine; None where there is no other.

    A fall-back, which has to be on another engine, is a role of its own.
    """
    language = found.rows[candidate_id].language
    able = [r.candidate_id for r in found.ranking_in(language) if r.passes and r.candidate_id != candidate_id]
    return next(iter(able), None)
