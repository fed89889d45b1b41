"""Deciding: who fills a role, and why; what stands against it, and what has changed since."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator
from dataclasses import replace
from datetime import date
from typing import Final

from zestpanel.core.choice.decided import DECISIONS, Decision, RestsOn, decisions, every_decision
from zestpanel.core.choice.evidence import Evaluation
from zestpanel.core.choice.roles import role_named
from zestpanel.core.choice.row import Row
from zestpanel.core.choice.standing import Standing
from zestpanel.core.clock import today
from zestpanel.core.errors import InputError
from zestpanel.core.evidence.registry import figures
from zestpanel.core.store.database import now
from zestpanel.core.store.parts import EditsDocuments
from zestpanel.core.texts import day, tr, word
from zestpanel.core.typed import typed_date

MOVED: Final = 0.1  # categories: a panel score that moved by less is not told
LONGEST_REASON: Final = 2_000


class NobodyHeardIt(InputError):
    """A voice is to be chosen that no listener has rated."""


def decide(
    project: EditsDocuments,
    found: Evaluation,
    *,
    role: str,
    candidate_id: int | None,
    why: str,
    by: str,
    runner_up_id: int | None = None,
    though_unheard: bool = False,
    may_reopen: str = "",
    look_again: str = "",
) -> Decision:
    """Fill a role (by its id or its name), or say that nobody is good enough for it: candidate_id None. An earlier
    decision for it is kept, and does not stand any more.

    though_unheard: a person has said that nobody need have heard it. look_again: a day, as it is typed. Raises
    NobodyHeardIt; InputError: no such role, no reason given, a voice that cannot fill it, or a must-have that is not
    met or unknown ('unknown' stops a choice as 'no' does).
    """
    standing = role_called(found, role)
    assert standing.role is not None
    if len(why) > LONGEST_REASON:
        raise InputError(
            tr("The reason is longer than {longest} characters.", longest=f"{LONGEST_REASON:,}"),
            kept=tr("Nothing was decided."),
        )
    if not why.strip():
        raise InputError(
            tr("A choice needs its reason, in a sentence."),
            kept=tr("Nothing was decided."),
            remedy=tr("Write why, for whoever reads it in three months."),
        )
    again = typed_date(look_again, tr("Look again on")) if look_again.strip() else None
    if again is not None and again < today():
        raise InputError(tr("The day to look again has passed."), kept=tr("Nothing was decided."))
    if candidate_id is not None:
        _may_be_chosen(found, standing, candidate_id, though_unheard=though_unheard)
    decision = Decision(
        role=standing.role.id, role_name=standing.role.name, candidate_id=candidate_id, runner_up_id=runner_up_id,
        why=why.strip(), by=by.strip(), decided=now(), may_reopen=may_reopen.strip(),
        look_again=again.isoformat() if again else "", rests_on=rests_on(standing, candidate_id),
    )  # fmt: skip
    project.edit_document(
        DECISIONS, (*every_decision(project.documents), decision), label=tr("choice of {role}", role=standing.role.name)
    )
    return decision


def take_back(project: EditsDocuments, role: str) -> None:
    """The role is open again; what was decided stays readable. role: by its id."""
    standing = {one.role: one for one in decisions(project.documents)}
    if role in standing:
        every = [replace(one, taken_back=now()) if one == standing[role] else one
                 for one in every_decision(project.documents)]  # fmt: skip
        project.edit_document(DECISIONS, tuple(every), label=tr("choice taken back"))


def role_called(found: Evaluation, role: str) -> Standing:
    """By its id, or by its name whatever its case. Raises InputError for one that the brief does not know."""
    key = role_named(found.brief.roles, role).id
    return next(one for one in found.standings if one.key == key)


def _may_be_chosen(found: Evaluation, standing: Standing, candidate_id: int, *, though_unheard: bool) -> None:
    row = standing.rows.get(candidate_id)
    if row is None:
        other = found.rows.get(candidate_id)
        raise InputError(
            tr("{name} does not speak the language of {role}.", name=other.name if other else candidate_id,
               role=standing.name),
            kept=tr("Nothing was decided."),
            remedy=tr("Languages never compete: choose it for a role of its own language."),
        )  # fmt: skip
    against = what_stands_against(row)
    if against:
        raise InputError(
            tr("{name} cannot be chosen: {against}.", name=row.name, against=against[0]),
            kept=tr("Nothing was decided."),
            remedy=tr("Find the fact out and put it into the connector file, or change the brief."),
        )
    if row.score is None and not though_unheard:
        raise NobodyHeardIt(
            tr("A test that has heard {name} is under way, and its result is covered.", name=row.name)
            if row.under_way
            else tr("Nobody has heard {name} in a test.", name=row.name),
            kept=tr("Nothing was decided."),
            remedy=tr("Have it rated on the Listening tab, or say that it is to be chosen all the same."),
        )


def what_stands_against(row: Row) -> list[str]:
    """Gates not met or unknown, as words."""
    return [
        tr("'{name}' is {x} ({why})", name=g.name, x=tr("not met") if g.verdict == "no" else word("unknown"), why=g.why)
        for g in row.gates
        if g.verdict != "yes"
    ]


def suggest_runner_up(standing: Standing, candidate_id: int) -> int | None:
    """The best of the ranking that meets every must-have, whatever its engine; None where there is no other.

    A fall-back, which has to be on another engine, is a role of its own.
    """
    return next((r.candidate_id for r in standing.ranking if r.passes and r.candidate_id != candidate_id), None)


# -- what it rested on


def rests_on(standing: Standing, candidate_id: int | None) -> RestsOn:
    """What stands there now, as it is kept with a decision."""
    able = [one for one in standing.ranking if one.place is not None]
    leader = able[0].candidate_id if able else None
    weighed = {c.name: (c.weight, c.worst, c.best) for c in standing.criteria if c.weight > 0 or c.bars}
    evidence = {
        str(one.candidate_id): {
            name: repr(value) for name, value in sorted(one.values.items()) if value is not None
        } | {"must-haves": [f"{gate.code}: {gate.verdict}" for gate in standing.rows[one.candidate_id].gates]}
        for one in standing.evidence
    }  # fmt: skip
    told = json.dumps([evidence, weighed], sort_keys=True)
    digest = hashlib.sha256(told.encode()).hexdigest()
    row, ranked = standing.rows.get(candidate_id or 0), standing.ranked(candidate_id or 0)
    if row is None or ranked is None:
        return RestsOn(among=len(able), leader=leader, weighed=weighed, digest=digest)
    score = row.score
    return RestsOn(
        place=ranked.place, among=len(able), first=ranked.first, month=str(row.cost.own or ""),
        score=score.mean if score else None, listeners=score.listeners if score else 0,
        simulated=score.simulated if score else 0, failed=sum(row.summary.failures.values()),
        requests=row.summary.requests, model_version=row.candidate.model_version, plan=row.plan.name,
        priced=row.plan.dated.isoformat() if row.plan.dated else "", leader=leader, weighed=weighed, digest=digest,
    )  # fmt: skip


def changed_since(decision: Decision, found: Evaluation) -> list[str]:
    """Why it would fall otherwise today, or has to be looked at again; a sentence each, none where all is as it was."""
    standing = found.standing(decision.role)
    if standing is None:
        return [tr("The brief has this role no more.")]
    return list(_changes(decision, standing))


def _changes(decision: Decision, standing: Standing) -> Iterator[str]:
    if decision.look_again and date.fromisoformat(decision.look_again) <= today():
        yield tr("To be looked at again since {day}.", day=day(date.fromisoformat(decision.look_again)))
    row, then = standing.rows.get(decision.candidate_id or 0), decision.rests_on
    if row is None:
        if decision.candidate_id is not None:
            yield tr("Whoever was chosen is not on the shortlist any more, or does not speak the role's language.")
    elif against := what_stands_against(row):
        yield tr("It would not be chosen today: {against}.", against=against[0])
    if then is None or (row is None and decision.candidate_id is not None):
        return
    today_ = rests_on(standing, decision.candidate_id)
    if today_.digest == then.digest:
        return
    names = {number: one.name for number, one in standing.rows.items()}
    if row is not None and today_.month != then.month:
        yield tr("A month costs {now} now, not {then}.", now=today_.month or word("unknown"),
                 then=then.month or word("unknown"))  # fmt: skip
    if row is not None and then.score is not None and today_.score is not None \
            and abs(today_.score - then.score) >= MOVED:  # fmt: skip
        yield tr("The panel score is {now} now, {then} then.", now=f"{today_.score:.2f}", then=f"{then.score:.2f}")
    moved = [word(figures()[name].words) for name in {*today_.weighed, *then.weighed} if name in figures()
             and today_.weighed.get(name) != tuple(then.weighed.get(name, ()))]  # fmt: skip
    if moved:
        yield tr("Weighed otherwise since: {moved}.", moved=", ".join(sorted(moved)))
    if today_.leader != then.leader and today_.leader is not None:
        yield tr("First is {now} now, {then} then.", now=names.get(today_.leader, "?"),
                 then=names.get(then.leader or 0, tr("nobody")))  # fmt: skip
