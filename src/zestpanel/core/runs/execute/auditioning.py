"""One line in one voice, heard or tried: a request like those of a run. It is written the way a run would send it,
journaled before it goes out, held to the caps, and answered from what is kept where the same was asked before."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import asdict, dataclass
from decimal import Decimal
from typing import Any, Protocol

from zestpanel.core.audio.clip import Clip
from zestpanel.core.catalogue.candidate import plan_of
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.catalogue.facts import Engine, language_for
from zestpanel.core.clock import today
from zestpanel.core.connectors.opening import connector_of, open_connector
from zestpanel.core.connectors.speaking import Connector, Reply
from zestpanel.core.connectors.wizard.trying import Looked, look_once
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.passage import Passage
from zestpanel.core.errors import Cancelled as WasCancelled
from zestpanel.core.errors import InputError, SynthesisFailure
from zestpanel.core.money.tariff import NO_USE
from zestpanel.core.money.volume import Rates
from zestpanel.core.runs.execute.asking import request_of, taken_in
from zestpanel.core.runs.execute.in_pieces import joined
from zestpanel.core.runs.plan.estimates import paces_of, use_of, use_of_job
from zestpanel.core.runs.plan.job import Job
from zestpanel.core.runs.plan.planning import request_digest, text_reasons
from zestpanel.core.runs.spending.caps import SpendGuard, at_most, caps_of
from zestpanel.core.signs import by_number
from zestpanel.core.store.auditions import Auditions
from zestpanel.core.store.one_asker import asking
from zestpanel.core.store.own_voices import OwnVoices
from zestpanel.core.store.parts import (
    HasAuditions,
    HasBrief,
    HasDocuments,
    HasFolder,
    HasJournal,
    HasOwnVoices,
    HasPurse,
    HasSending,
    HasShortlist,
    HasTakes,
)
from zestpanel.core.store.sending import Sending
from zestpanel.core.store.takes import Takes
from zestpanel.core.texts import tr
from zestpanel.core.waiting import Cancelled, never_cancelled


class SendingParts(HasOwnVoices, HasSending, Protocol):
    """How texts are sent."""


class AuditionParts(
    SendingParts,
    HasFolder,
    HasDocuments,
    HasBrief,
    HasShortlist,
    HasTakes,
    HasJournal,
    HasAuditions,
    HasPurse,
    Protocol,
):
    """Likewise, and what a line may cost and has cost."""


_SEED = 1  # that of a run's first take


@dataclass(frozen=True, slots=True, kw_only=True)
class Heard:
    """The sound of a line. asked_on: when it was asked for ('' means now); reply: what the reply said of itself."""

    clip: Clip
    asked_on: str
    reply: Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class Line:
    """A line for one voice of an engine, put together as a run's job would be."""

    engine: Engine
    job: Job

    @property
    def plan(self) -> str:
        return plan_of(self.job.candidate, self.engine).name


def line_for(
    sending: Sending, own_voices: OwnVoices, engine: Engine, text: str, *, voice: str, model: str, plan: str,
    settings: Mapping[str, Any], language: str,
) -> Line:  # fmt: skip
    """Raises InputError for a text the engine does not take, SynthesisFailure for a recording without consent."""
    if odd := next((sign for sign in text if "\ud800" <= sign <= "\udfff"), ""):
        raise InputError(
            tr("The line holds half of a character ({odd}), which cannot be sent.", odd=by_number(odd)),
            kept=tr("Nothing was sent."),
        )
    stated = engine.model(model)
    candidate = Candidate(
        id=0, engine=engine.engine, model=model, model_version=stated.version if stated else "",
        route=engine.route_label, plan=plan, voice=voice, language=language,
        settings={**engine.factory_settings(), **settings},
    )  # fmt: skip
    passage = Passage(id=0, version_id=0, number=1, title="", language=language, text=" ".join(text.split()))
    if reasons := text_reasons(sending, candidate, engine, passage):
        raise InputError(
            tr("{engine} does not take this line: {reasons}.", engine=engine.engine, reasons=reasons[0]),
            kept=tr("Nothing was sent."),
        )
    own_voices.source_of(engine.engine, voice)
    known = engine.voice(voice)
    job = Job(
        candidate=candidate, passage=passage, repeat=1, seed=_SEED, asked="",
        sent=sending.of(candidate, passage, engine),
        language=language_for(known, language, language) if known else language,
    )  # fmt: skip
    return Line(engine, job)


def described(own_voices: OwnVoices, line: Line) -> str:
    """The requests as they would be sent, secrets masked. Raises SynthesisFailure."""
    connector = connector_of(line.engine)
    try:
        pieces = [connector.describe(request_of(own_voices, line.job, piece)) for piece in line.job.sent.requests]
    finally:
        connector.close()
    return "\n\n".join(pieces)


def kept_answer(own_voices: OwnVoices, takes: Takes, auditions: Auditions, line: Line) -> Heard | None:
    """What the same request brought before: a take of a run, or a line heard; under whatever plan."""
    own_voice = own_voices.identity_of(line.engine.engine, line.job.candidate.voice)
    plans = dict.fromkeys([line.job.candidate.plan, *(plan.name for plan in line.engine.plans), ""])
    digests = [request_digest(line.job, own_voice, plan=plan) for plan in plans]
    by_digest = {t.asked: t for t in takes.all(with_timing=False) if t.asked and t.scored}
    for digest in digests:
        if (take := by_digest.get(digest)) is not None:
            said = {"voice_used": take.voice_used, "characters_billed": take.characters_billed}
            return Heard(clip=takes.load(take), asked_on=take.created, reply=said)
        if (audition := auditions.stored(digest)) is not None:
            return Heard(clip=auditions.load(audition), asked_on=audition.opened, reply=audition.reply)
    return None


def hear(
    project: AuditionParts,
    line: Line,
    *,
    again: bool = False,
    cancelled: Cancelled = never_cancelled,
    connect: Callable[[Engine], Connector] = open_connector,
) -> Heard:
    """The line's sound, from what is kept unless it is asked ``again``.

    Raises SynthesisFailure, Cancelled, AskedElsewhere, and InputError where a cap would be broken.
    """
    if not again and (found := kept_answer(project.own_voices, project.takes, project.auditions, line)) is not None:
        return found
    with asking(project.folder):
        return _asked(project, line, cancelled, connect)


def first_line(project: SendingParts, engine: Engine, text: str) -> Line:
    """A line for an engine that is being set up: its first voice, model and plan, at factory settings. Raises as
    ``line_for`` does."""
    if not engine.voices:
        raise InputError(
            tr("{engine}'s file lists no voice to try.", engine=engine.engine),
            kept=tr("Nothing was sent."),
            remedy=tr("Write one under voices."),
        )
    voice = engine.voices[0]
    return line_for(
        project.sending, project.own_voices, engine, text, voice=voice.id, model=engine.models[0].id,
        plan=engine.plans[0].name if engine.plans else "", settings={}, language=voice.languages[0],
    )  # fmt: skip


def looked_into(
    project: AuditionParts, source: str, text: str, *, key: str, cancelled: Cancelled = never_cancelled
) -> Looked:
    """A drafted file's request, sent once and looked into; journaled, and counted against allowance and caps.

    Raises what ``look_once`` does, AskedElsewhere, and InputError where a cap would be broken.
    """
    line = first_line(project, parse_connector(source, name=tr("the file")), text)
    with asking(project.folder), _counted(project, line) as counted:
        looked = look_once(source, text, key=key, cancelled=cancelled)
        counted.came = tr("Looked into while the engine was set up.")
        return looked


@dataclass(slots=True)
class _Counted:
    came: str = ""  # what to write of a reply whose sound is not kept


@contextmanager
def _counted(project: AuditionParts, line: Line) -> Iterator[_Counted]:
    """One request that is journaled before it is sent, and counted as far as it may be billed."""
    engine, job = line.engine, line.job
    rates = paces_of(project.takes, project.shortlist, [job.candidate])
    purse, key = project.purse or purse_of(project, engine), (engine.engine, line.plan)
    left = at_most(use_of_job(job, rates), Rates())
    if why := purse.reserve(key, left):
        raise InputError(
            why, kept=tr("Nothing was sent."), remedy=tr("Raise the cap under Renders if it is to be spent.")
        )
    number = project.auditions.open(
        engine=engine.engine, model=job.candidate.model, plan=line.plan, voice=job.candidate.voice,
        text=job.passage.text, asked="", requests=1, characters=job.sent.billed,
    )  # fmt: skip
    counted, used = _Counted(), left
    try:
        yield counted
        project.auditions.close_failed(number, "", counted.came, state="unused")
    except WasCancelled:
        project.auditions.close_failed(number, "cancelled", tr("Cancelled while under way."), state="cancelled")
        raise
    except SynthesisFailure as failure:
        paid = failure.may_be_billed
        used = left if paid else NO_USE
        project.auditions.close_failed(number, failure.kind, failure.what, requests=int(paid),
                                       characters=job.sent.billed if paid else 0)  # fmt: skip
        raise
    finally:
        purse.settle(key, left, NO_USE, maybe=used)


def _asked(project: AuditionParts, line: Line, cancelled: Cancelled, connect: Callable[[Engine], Connector]) -> Heard:
    engine, job = line.engine, line.job
    rates = paces_of(project.takes, project.shortlist, [job.candidate])
    purse = project.purse or purse_of(project, engine)  # that of a run, which must know of it, where one goes on
    key = (engine.engine, line.plan)
    left = at_most(use_of_job(job, rates), rates.get(job.candidate.id, Rates()))
    if why := purse.reserve(key, left):
        raise InputError(
            why, kept=tr("Nothing was sent."), remedy=tr("Raise the cap under Renders if it is to be spent.")
        )
    own_voice = project.own_voices.identity_of(engine.engine, job.candidate.voice)
    number = project.auditions.open(
        engine=engine.engine, model=job.candidate.model, plan=line.plan, voice=job.candidate.voice,
        text=job.passage.text, asked=request_digest(job, own_voice), requests=len(job.sent.requests),
        characters=job.sent.billed,
    )  # fmt: skip
    replies: list[Reply] = []
    used = left  # until more is known
    try:
        connector = connect(engine)
        try:
            for piece in job.sent.requests:
                asked = request_of(project.own_voices, job, piece)
                with taken_in(engine.engine):
                    replies.append(connector.speak(asked, cancelled))
        finally:
            connector.close()
        reply = joined(replies)
        billed = job.sent.billed if reply.characters_billed is None else reply.characters_billed
        said = _said(reply)
        project.auditions.close_done(number, reply.clip, characters=billed, reply=said)
        sound_s = Decimal(repr(reply.clip.duration_s))
        used = use_of(job.candidate.model, billed, sound_s=sound_s, requests=len(replies))
        return Heard(clip=reply.clip, asked_on="", reply=said)
    except WasCancelled:
        project.auditions.close_failed(number, "cancelled", tr("Cancelled while under way."), state="cancelled")
        raise
    except SynthesisFailure as failure:
        paid = len(replies) + failure.may_be_billed
        if not paid:
            used = NO_USE
        project.auditions.close_failed(
            number, failure.kind, failure.what, state="unused" if replies else "failed", requests=paid,
            characters=sum(piece.billed for piece in job.sent.requests[:paid]),
        )  # fmt: skip
        raise
    finally:
        purse.settle(key, left, NO_USE, maybe=used)  # it counts against caps, and is not what a run has spent


def purse_of(project: AuditionParts, engine: Engine) -> SpendGuard:
    """What is spent so far, by runs and by lines, under the caps as they are."""
    candidates = {c.id: c for c in project.shortlist.candidates(removed=True, of_sweeps=True)}
    engines = {**project.shortlist.engines(), engine.engine: engine}
    return SpendGuard(
        engines, candidates, project.journal.rows(), caps_of(project.documents), today=today(),
        seats=project.brief.seats,
        rates=paces_of(project.takes, project.shortlist, candidates.values()), auditions=project.auditions.rows(),
        convert=project.brief.in_currency,
    )  # fmt: skip


def _said(reply: Reply) -> dict[str, Any]:
    return {
        "voice_used": reply.voice_used,
        "model_used": reply.model_used,
        "characters_billed": reply.characters_billed,
        "allowance_left": reply.allowance_left,
        "word_times": len(reply.word_times),
        "word_times_unread": reply.word_times_unread,
        "bytes": len(reply.data),
        "console": reply.console[-20_000:],
        "timing": asdict(reply.timing) if reply.timing else None,
    }
