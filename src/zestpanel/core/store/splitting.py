"""One candidate made two, where the same request gave another sound from some run on.

A model's version is part of what a candidate is. Where a service changes it without a word, takes of before and after
are of two candidates: the earlier one ends, can be heard and scored and is made no more; a later one, the same in all
that is stated, has what was made from that run on.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import islice

from sqlalchemy import select, update

from zestpanel.core.errors import InputError
from zestpanel.core.store.database import Database, now
from zestpanel.core.store.schema import candidates, requests, runs, stimuli, takes
from zestpanel.core.texts import tr


@dataclass(frozen=True, slots=True, kw_only=True)
class Split:
    """takes: how many were moved from the earlier candidate to the later one."""

    earlier_id: int
    later_id: int
    takes: int


def split_candidate(database: Database, candidate_id: int, run_id: int) -> Split:
    """Give what was made of a candidate in a run and after it to a candidate of its own.

    Takes go with their requests and their ratings, and with takes that were served from them. Raises InputError when
    nothing was made of it before, or nothing since, or its sound has ended already.
    """
    with database.writing() as connection:
        old = connection.execute(select(candidates).where(candidates.c.id == candidate_id)).one_or_none()
        began = connection.execute(select(runs.c.created).where(runs.c.id == run_id)).scalar()
        kept = tr("Its takes stay together.")
        if old is None or began is None:
            raise InputError(tr("There is no such candidate or run."), kept=kept)
        if old.ended:
            raise InputError(tr("The sound of this candidate has ended already."), kept=kept)
        own = connection.execute(
            select(takes.c.id, takes.c.run_id, takes.c.created, takes.c.copied_from)
            .where(takes.c.candidate_id == candidate_id)
            .order_by(takes.c.id)
        ).all()
        later: set[int] = set()
        for take in own:
            if take.copied_from is not None:
                moves = take.copied_from in later
            else:
                moves = take.run_id >= run_id if take.run_id is not None else take.created >= began
            if moves:
                later.add(take.id)
        if not later or len(later) == len(own):
            raise InputError(tr("Nothing was made of this candidate both before that run and since."), kept=kept)
        stated = [column.name for column in candidates.c if column.name not in ("id", "ended", "first_id")]
        values = {name: getattr(old, name) for name in stated}
        new = connection.execute(
            candidates.insert()
            .values({**values, "created": began, "first_id": old.first_id or old.id})
            .returning(candidates.c.id)
        ).scalar_one()
        ids = iter(sorted(later))
        while some := list(islice(ids, 500)):  # a statement takes so many values and no more
            connection.execute(update(takes).where(takes.c.id.in_(some)).values(candidate_id=new))
            connection.execute(update(stimuli).where(stimuli.c.take_id.in_(some)).values(candidate_id=new))
        since = (requests.c.candidate_id == candidate_id) & (requests.c.run_id >= run_id)
        connection.execute(update(requests).where(since).values(candidate_id=new))
        connection.execute(update(candidates).where(candidates.c.id == candidate_id).values(ended=began))
    return Split(earlier_id=candidate_id, later_id=int(new), takes=len(later))


def merge_back(database: Database, split: Split) -> None:
    """Take a split back: what is the later candidate's by now is the earlier one's."""
    with database.writing() as connection:
        for table in (takes, requests, stimuli):
            back = update(table).where(table.c.candidate_id == split.later_id)
            connection.execute(back.values(candidate_id=split.earlier_id))
        connection.execute(update(candidates).where(candidates.c.id == split.earlier_id).values(ended=None))
        connection.execute(update(candidates).where(candidates.c.id == split.later_id).values(removed=now()))
