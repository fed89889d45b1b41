"""Engines known to the project (as connector files) and the candidates on its shortlist."""

from __future__ import annotations

import contextlib
from collections.abc import Sequence
from functools import cache
from typing import Any, Final

from sqlalchemy import Row, Select, func, select, update
from sqlalchemy.dialects.sqlite import insert

from zestpanel.core import clock
from zestpanel.core.catalogue.by_hand import ByHand, amended
from zestpanel.core.catalogue.candidate import superseded_by
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.catalogue.facts import Engine, Plan, Voice
from zestpanel.core.catalogue.former_plan import FormerPlan, with_former
from zestpanel.core.catalogue.stated_plan import with_plans
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.errors import ConnectorError, InputError
from zestpanel.core.store.database import Database, now
from zestpanel.core.store.documents import Documents
from zestpanel.core.store.own_voices import OwnVoices
from zestpanel.core.store.schema import candidates, connectors
from zestpanel.core.store.splitting import Split, merge_back, split_candidate
from zestpanel.core.store.stored import Readable, Stored
from zestpanel.core.store.worked_out import WorkedOut
from zestpanel.core.texts import tr

# what is kept of an engine beside its file, by the engine's name
_BY_HAND: Final[Stored[ByHand]] = Stored("by hand: ", ByHand, ByHand(), sparing=True)
_FETCHED: Final[Stored[tuple[Voice, ...]]] = Stored("voices of ", tuple[Voice, ...], (), sparing=True)
_PLANS: Final[Stored[tuple[Plan, ...]]] = Stored("plans of ", Readable(Plan), ())
_FORMER: Final[Stored[tuple[FormerPlan, ...]]] = Stored("former plans of ", Readable(FormerPlan), ())


class Shortlist:
    def __init__(self, database: Database, documents: Documents, own_voices: OwnVoices) -> None:
        self._database, self._documents, self._own_voices = database, documents, own_voices
        self._engines = WorkedOut(self._assembled)
        self._parsed: dict[str, Engine] = {}  # by the file's text, which is read once

    # -- engines

    def add_engine(
        self, engine: Engine, source: str, file_name: str, *, former: Sequence[FormerPlan] | None = None
    ) -> None:
        """Add an engine, or replace what was known of it; candidates made from it stay as they are, and prices that
        it no longer states are kept.

        engine: what ``source`` says. former: the earlier prices, where one that was kept is to go again.
        """
        if engine.hears is not None:
            raise InputError(
                tr("{engine} listens, and makes no sound.", engine=engine.engine), kept=tr("Nothing was added."),
                remedy=tr("Add it in Evidence, under Recognisers, or with 'zest recognisers --add'."),
            )  # fmt: skip
        before = self._file_of(engine.engine)
        self._put_former(engine.engine, former, before.plans if before is not None else (), engine.plans)
        self._parsed[source] = engine
        # a name on the disk may be no text at all; here it is only shown
        file_name = file_name.encode("utf-8", errors="replace").decode()
        values = {"engine": engine.engine, "file_name": file_name, "source": source, "added": now()}
        with self._database.writing() as connection:
            row = insert(connectors).values(**values)
            connection.execute(row.on_conflict_do_update(index_elements=["engine"], set_=values))
        self._engines.forget()

    def engines(self) -> dict[str, Engine]:
        """Engines by name, in the order they were added: as their files state them, with fetched and own voices."""
        return self._engines.get()

    def _assembled(self) -> dict[str, Engine]:
        own = self._own_voices.voices()
        out = {}
        for name, (engine, _, _) in self.files().items():
            whole = amended(engine, self.by_hand(name))
            whole = with_voices(whole, self.fetched(name), [v.voice for v in own if v.engine == name])
            out[name] = with_plans(whole, self.stated_plans(name))
        return out

    def by_hand(self, engine: str) -> ByHand:
        """What a person stated of the engine beside its file; nothing where it cannot be read."""
        return _BY_HAND.of(engine).read(self._documents)

    def put_by_hand(self, engine: str, stated: ByHand) -> None:
        _BY_HAND.of(engine).write(self._documents, stated)
        self._engines.forget()

    def files(self) -> dict[str, tuple[Engine, str, str]]:
        """(engine as its file states it, the file's text, its name) by engine.

        A file that can no longer be read, from a stranger or from an earlier version, is left out: its candidates say
        that it is not in the project, and the rest of the project opens.
        """
        with self._database.reading() as connection:
            rows = connection.execute(select(connectors).order_by(connectors.c.id)).all()
        found = {}
        for row in rows:
            with contextlib.suppress(ConnectorError):
                found[row.engine] = (self._engine_of(row.source, row.file_name), row.source, row.file_name)
        return found

    def _file_of(self, engine: str) -> Engine | None:
        """As its file states it now; None where it has none that can be read."""
        with self._database.reading() as connection:
            row = connection.execute(select(connectors).where(connectors.c.engine == engine)).one_or_none()
        with contextlib.suppress(ConnectorError):
            return self._engine_of(row.source, row.file_name) if row is not None else None
        return None

    def _engine_of(self, source: str, file_name: str) -> Engine:
        known = self._parsed.get(source)
        if known is None:
            known = self._parsed[source] = parse_connector(source, name=file_name, kept=True)
        return known

    def remove_engine(self, engine: str) -> None:
        """Take an engine's file out; its candidates and takes stay and say that the engine is not known."""
        with self._database.writing() as connection:
            connection.execute(connectors.delete().where(connectors.c.engine == engine))
        self._engines.forget()

    # -- voices that are not in the file

    def fetched(self, engine: str) -> list[Voice]:
        """The voices last fetched from the service, none when they never were."""
        return list(_FETCHED.of(engine).read(self._documents))

    def put_fetched(self, engine: str, voices: Sequence[Voice]) -> None:
        _FETCHED.of(engine).write(self._documents, tuple(voices))
        self._engines.forget()

    def voices_changed(self) -> None:
        """Voices of one's own were added or taken away: engines are put together anew."""
        self._engines.forget()

    # -- plans that a person stated

    def stated_plans(self, engine: str) -> list[Plan]:
        """Those that can be read: what a stranger's project holds instead is left out."""
        return list(_PLANS.of(engine).read(self._documents))

    def state_plans(self, engine: str, plans: Sequence[Plan], *, former: Sequence[FormerPlan] | None = None) -> None:
        """Those that a person stated; prices that they replace are kept. former: as in ``add_engine``."""
        self._put_former(engine, former, self.stated_plans(engine), plans)
        _PLANS.of(engine).write(self._documents, tuple(plans))
        self._engines.forget()

    def former_plans(self, engine: str) -> list[FormerPlan]:
        """Prices that held before, the newest last."""
        return list(_FORMER.of(engine).read(self._documents))

    def _put_former(
        self, engine: str, former: Sequence[FormerPlan] | None, before: Sequence[Plan], after: Sequence[Plan]
    ) -> None:
        known = self.former_plans(engine)
        new = with_former(known, before, after, on=clock.today()) if former is None else list(former)
        if new != known:
            _FORMER.of(engine).write(self._documents, tuple(new))

    def hold_to_language(self, candidate_ids: Sequence[int], held: bool) -> None:
        """Whether candidates read texts of their own language only, whatever else their voice speaks."""
        with self._database.writing() as connection:
            rows = update(candidates).where(candidates.c.id.in_(candidate_ids))
            connection.execute(rows.values(one_language=held))

    def set_plan(self, candidate_ids: Sequence[int], plan: str) -> None:
        """Which plan candidates are bought under; their takes and ratings stay, since the sound is the same."""
        with self._database.writing() as connection:
            connection.execute(update(candidates).where(candidates.c.id.in_(candidate_ids)).values(plan=plan))

    # -- candidates

    def add(
        self,
        engine: Engine,
        *,
        voice: str,
        model: str | None = None,
        plan: str | None = None,
        language: str | None = None,
        settings: dict[str, Any] | None = None,
    ) -> list[Candidate]:
        """Put a voice on the shortlist; what is not given takes the engine's first.

        The first candidate of an engine with other than factory settings brings its factory twin along, so that a
        tuned voice is never compared with untuned ones alone. Returns the candidates that were added: none when the
        very same is already there. Raises InputError.
        """
        known = engine.voice(voice)
        if known is None:
            raise InputError(
                tr("{engine} lists no voice '{voice}'.", engine=engine.engine, voice=voice),
                kept=tr("The shortlist is unchanged."),
            )
        if language and not known.speaks(language):
            raise InputError(
                tr("{label} speaks {languages}, not {language}.", label=known.label,
                   languages=", ".join(known.languages), language=language),
                kept=tr("The shortlist is unchanged."),
            )  # fmt: skip
        chosen = (
            engine.model(model)
            if model
            else next((m for m in engine.models if not known.models or m.id in known.models), engine.models[0])
        )
        if chosen is None:
            raise InputError(
                tr("{engine} lists no model '{model}'.", engine=engine.engine, model=model),
                kept=tr("The shortlist is unchanged."),
            )
        factory = engine.factory_settings()
        wanted = {**factory, **(settings or {})}
        for control in engine.controls:
            if problem := control.check(wanted[control.name]):
                raise InputError(f"{engine.engine}: {problem}.", kept=tr("The shortlist is unchanged."))
        base = {
            "engine": engine.engine,
            "model": chosen.id,
            "model_version": chosen.version,
            "route": engine.route_label,
            "plan": plan if plan is not None else (engine.plans[0].name if engine.plans else ""),
            "voice": known.id,
            "language": language or known.languages[0],
            "note": "",
        }
        existing = self.candidates()
        rows = []
        has_factory = any(c.engine == engine.engine and c.factory and not c.ended for c in existing)
        if wanted != factory and not has_factory:
            rows.append({**base, "settings": factory, "factory": True})
        rows.append({**base, "settings": wanted, "factory": wanted == factory})
        same = [(*(getattr(c, k) for k in base if k != "note"), dict(c.settings)) for c in existing if not c.ended]
        fresh = [r for r in rows if (*(r[k] for k in base if k != "note"), r["settings"]) not in same]
        added = []
        with self._database.writing() as connection:
            place = connection.execute(select(func.max(candidates.c.position))).scalar() or 0
            for row in fresh:
                place += 1
                new = connection.execute(
                    candidates.insert().values(**row, position=place, created=now()).returning(candidates)
                ).one()
                added.append(candidate_of(new))
        return added

    def candidates(self, *, removed: bool = False, of_sweeps: bool = False) -> list[Candidate]:
        """The shortlist in order; with ``removed`` also what was taken off it (takes keep pointing there), with
        ``of_sweeps`` also the points of sweeps."""
        with self._database.reading() as connection:
            rows = connection.execute(_candidates(removed=removed, of_sweeps=of_sweeps))
            return [candidate_of(row) for row in rows]

    def superseded(self, engine: Engine) -> dict[str, int]:
        """What a newly stated version means: (model and versions in words, how many candidates are of the old one)."""
        out: dict[str, int] = {}
        for candidate in self.candidates():
            stated = superseded_by(candidate, engine) if candidate.engine == engine.engine else ""
            if stated and not candidate.ended:
                words = tr(
                    "{model} is version {stated} now, not {model_version}",
                    model=candidate.model,
                    stated=stated,
                    model_version=candidate.model_version,
                )
                out[words] = out.get(words, 0) + 1
        return out

    def split(self, candidate_id: int, run_id: int) -> Split:
        """Two candidates instead of one, from a run on; see ``split_candidate``."""
        return split_candidate(self._database, candidate_id, run_id)

    def merge_back(self, split: Split) -> None:
        merge_back(self._database, split)

    def set_removed(self, candidate_ids: list[int], removed: bool) -> None:
        with self._database.writing() as connection:
            connection.execute(
                update(candidates).where(candidates.c.id.in_(candidate_ids)).values(removed=now() if removed else None)
            )


@cache
def _candidates(*, removed: bool, of_sweeps: bool) -> Select[Any]:
    query = select(candidates).order_by(candidates.c.position, candidates.c.id)
    if not of_sweeps:
        query = query.where(candidates.c.sweep_id.is_(None))
    return query if removed else query.where(candidates.c.removed.is_(None))


def candidate_of(row: Row[Any]) -> Candidate:
    return Candidate(
        id=row.id,
        engine=row.engine,
        model=row.model,
        model_version=row.model_version,
        route=row.route,
        plan=row.plan,
        voice=row.voice,
        language=row.language,
        settings=row.settings,
        factory=row.factory,
        created=row.created,
        note=row.note,
        ended=row.ended or "",
        first_id=row.first_id or row.id,
        one_language=bool(row.one_language),
    )


def with_voices(engine: Engine, fetched: Sequence[Voice], own: Sequence[Voice]) -> Engine:
    """The engine with the voices its service lists (what the file says of a voice of the same id wins) and own ones."""
    if not fetched and not own:
        return engine
    stated = {v.id: v for v in engine.voices}
    voices = [stated.pop(v.id, v) for v in fetched] + list(stated.values()) if fetched else list(engine.voices)
    have = {v.id for v in voices}
    voices += [v for v in own if v.id not in have]
    return (
        engine
        if len(voices) == len(engine.voices) and not fetched
        else engine.model_copy(update={"voices": tuple(voices)})
    )
