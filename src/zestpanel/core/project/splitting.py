"""One candidate made two, where the same request gave another sound from some run on.

A model's version is part of what a candidate is. Where a service changes it without a word, takes of before and after
are of two candidates: the earlier one ends, can be heard and scored and is made no more; a later one, the same in all
that is stated, has what was made from that run on.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from sqlalchemy import Connection, select, update

from zestpanel.core.errors import InputError
from zestpanel.core.project.database import Database, now
from zestpanel.core.project.schema import candidates, ratings, requests, runs, takes

_TABLES: Final = {"takes": takes, "requests": requests, "ratings": ratings}


@dataclass(frozen=True, slots=True, kw_only=True)
class Split:
    """What was moved from the earlier candidate to the later one: ids by table, to be put back by."""

    earlier_id: int
    later_id: int
    moved: dict[str, tuple[int, ...]]


def split_candidate(database: Database, candidate_id: int, run_id: int) -> Split:
    """Give what was made of a candidate in a run and after it to a candidate of its own.

    Takes go with their requests and their ratings, and with takes that were served from them. Raises InputError when
    nothing was made of it before, or nothing since, or its sound has ended already.
    """
    with database.writing() as connection:
        old = connection.execute(select(candidates).where(candidates.c.id == candidate_id)).one_or_none()
        began = connection.execute(select(runs.c.created).where(runs.c.id == run_id)).scalar()
        kept = "Its takes stay together."
        if old is None or began is None:
            raise InputError("There is no such candidate or run.", kept=kept)
        if old.ended:
            raise InputError("The sound of this candidate has ended already.", kept=kept)
        own = connection.execute(
            select(takes.c.id, takes.c.run_id, takes.c.created, takes.c.copied_from)
            .where(takes.c.candidate_id == candidate_id)
            .order_by(takes.c.id)
        ).all()
        later: set[int] = set()
        for take in own:
            if take.copied_from is not None:
                since = take.copied_from in later
            else:
                since = take.run_id >= run_id if take.run_id is not None else take.created >= began
            if since:
                later.add(take.id)
        if not later or len(later) == len(own):
            raise InputError("Nothing was made of this candidate both before that run and since.", kept=kept)
        stated = [column.name for column in candidates.c if column.name not in ("id", "ended", "first_id")]
        values = {name: getattr(old, name) for name in stated}
        new = connection.execute(
            candidates.insert()
            .values({**values, "created": began, "first_id": old.first_id or old.id})
            .returning(candidates.c.id)
        ).scalar_one()
        asked = select(requests.c.id).where(requests.c.candidate_id == candidate_id, requests.c.run_id >= run_id)
        split = Split(
            earlier_id=candidate_id,
            later_id=int(new),
            moved={
                "takes": tuple(sorted(later)),
                "requests": tuple(connection.execute(asked).scalars()),
                "ratings": tuple(
                    connection.execute(select(ratings.c.id).where(ratings.c.take_id.in_(later))).scalars()
                ),
            },
        )
        _move(connection, split, split.later_id)
        connection.execute(update(candidates).where(candidates.c.id == candidate_id).values(ended=began))
    return split


def put_together(database: Database, split: Split) -> None:
    """Take a split back: what was moved is the earlier candidate's again."""
    with database.writing() as connection:
        _move(connection, split, split.earlier_id)
        connection.execute(update(candidates).where(candidates.c.id == split.earlier_id).values(ended=None))
        connection.execute(update(candidates).where(candidates.c.id == split.later_id).values(removed=now()))


def _move(connection: Connection, split: Split, to: int) -> None:
    for name, ids in split.moved.items():
        table = _TABLES[name]
        for start in range(0, len(ids), 500):  # a statement takes so many values and no more
            some = ids[start : start + 500]
            connection.execute(update(table).where(table.c.id.in_(some)).values(candidate_id=to))
