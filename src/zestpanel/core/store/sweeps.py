"""Sweeps of the project. Their points are candidates that are not on the shortlist, so that their takes, requests and
money are kept like any other."""

from __future__ import annotations

from sqlalchemy import select, update

from zestpanel.core.catalogue.varying import check_sweep, settings_at
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.sweep import Sweep, SweepSpec
from zestpanel.core.errors import InputError
from zestpanel.core.store.database import Database, now
from zestpanel.core.store.schema import candidates, sweeps
from zestpanel.core.store.shortlist import Shortlist, candidate_of
from zestpanel.core.texts import tr


class Sweeps:
    def __init__(self, database: Database, shortlist: Shortlist) -> None:
        self._database, self._shortlist = database, shortlist

    def add(self, spec: SweepSpec) -> Sweep:
        """Raises InputError for a candidate that is not there, or settings its engine does not take."""
        own = next((c for c in self._shortlist.candidates() if c.id == spec.candidate_id), None)
        engine = self._shortlist.engines().get(own.engine) if own else None
        if own is None or engine is None:
            raise InputError(tr("The candidate of this sweep is not on the shortlist."), kept=tr("Nothing was sent."))
        check_sweep(spec, own, engine)
        with self._database.writing() as connection:
            values = {"candidate_id": own.id, "spec": spec.model_dump(mode="json"), "created": now()}
            sweep_id = int(connection.execute(sweeps.insert().values(values).returning(sweeps.c.id)).scalar_one())
            factory = engine.factory_settings()
            for place, point in enumerate(spec.points, 1):
                settings = settings_at(own, spec, point)
                connection.execute(
                    candidates.insert().values(
                        position=place,
                        engine=own.engine,
                        model=own.model,
                        model_version=own.model_version,
                        route=own.route,
                        plan=own.plan,
                        voice=own.voice,
                        language=own.language,
                        settings=settings,
                        factory=settings == factory,
                        note="",
                        created=now(),
                        sweep_id=sweep_id,
                    )
                )
        return next(s for s in self.all() if s.id == sweep_id)

    def all(self) -> list[Sweep]:
        """All sweeps, the latest first."""
        with self._database.reading() as connection:
            rows = connection.execute(
                select(sweeps).where(sweeps.c.removed.is_(None)).order_by(sweeps.c.id.desc())
            ).all()
            points: dict[int, list[Candidate]] = {row.id: [] for row in rows}
            for row in connection.execute(
                select(candidates).where(candidates.c.sweep_id.in_(list(points))).order_by(candidates.c.position)
            ):
                points[row.sweep_id].append(candidate_of(row))
        return [
            Sweep(id=row.id, spec=SweepSpec.model_validate(row.spec), points=tuple(points[row.id]), created=row.created)
            for row in rows
        ]

    def set_removed(self, sweep_id: int, removed: bool) -> None:
        with self._database.writing() as connection:
            connection.execute(update(sweeps).where(sweeps.c.id == sweep_id).values(removed=now() if removed else None))
