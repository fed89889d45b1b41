"""The production sheet: all that makes the same sound again, for whoever has never opened the project.

For programs as YAML or JSON (``docs/schema/production-sheet.schema.json``); a key is named, never written down.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence
from datetime import date
from typing import Any, Final, Literal

import yaml
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from zestpanel import __version__
from zestpanel.core.audio.encoding import OutputFormat
from zestpanel.core.catalogue.candidate import plan_of
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.catalogue.facts import Engine, Plan, Voice
from zestpanel.core.catalogue.key_looks import refuse_keys
from zestpanel.core.catalogue.ledger import ledger
from zestpanel.core.catalogue.unsaid import refuse_unsaid
from zestpanel.core.catalogue.yaml_text import OddPart, read_plainly
from zestpanel.core.choice.decided import decisions
from zestpanel.core.choice.gates import RIGHTS
from zestpanel.core.clock import today
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.role import Role
from zestpanel.core.errors import InputError
from zestpanel.core.sending.choices import SendingChoices
from zestpanel.core.store.dialogues import GAP_S
from zestpanel.core.store.project import Project
from zestpanel.core.text.lexicon.lexicon import Entry
from zestpanel.core.texts import capital, tr, word

LARGEST: Final = 5_000_000  # characters of a sheet


class Setting(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)
    value: float | str | bool
    factory: float | str | bool
    hint: str = ""


class Said(BaseModel):
    """How a word is said: for all engines, or for one."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    word: str
    language: str
    engine: str = ""
    ipa: str = ""
    respelling: str = ""


class Reference(BaseModel):
    """A clip that the voice is to sound like: its text and the SHA-256 of its sound as it is kept."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    text: str
    clip: str


class Sheet(BaseModel):
    """connector: the connector file as it stands, with its SHA-256. keys: names of keys that have to be there. plan:
    with its price and rights; voice: as the engine lists it. pieces: at most so many characters a request. gap_s:
    between parts. consent_until: of the person whose voice it is; samples: SHA-256 of the recordings it was made of,
    as they are kept."""

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)

    version: Literal[1] = Field(default=1, alias="zest-production-sheet")
    written: date
    by: str
    channel: str = ""
    role: str = ""
    why: str = ""
    decided_by: str = ""
    decided: str = ""
    engine: str
    model: str
    model_version: str
    route: str
    language: str
    voice: Voice
    plan: Plan
    settings: dict[str, Setting] = Field(default_factory=dict)
    sending: SendingChoices = SendingChoices()
    pronunciations: tuple[Said, ...] = ()
    pieces: int | None = None
    gap_s: float = Field(default=GAP_S, ge=0, le=10)
    output: OutputFormat = OutputFormat()
    rights: dict[str, Literal["yes", "no", "unknown"]] = Field(default_factory=dict)
    credit: str = ""
    consent_until: date | None = None
    samples: tuple[str, ...] = ()
    keys: tuple[str, ...] = ()
    reference: Reference | None = None
    connector: str = Field(max_length=LARGEST)
    connector_sha256: str

    def as_yaml(self) -> str:
        return str(yaml.safe_dump(self._plain(), sort_keys=False, allow_unicode=True, width=110))

    def as_json(self) -> str:
        return json.dumps(self._plain(), ensure_ascii=False, indent=1) + "\n"

    def _plain(self) -> dict[str, Any]:
        return {"zest-production-sheet": 1} | self.model_dump(mode="json", by_alias=True, exclude_none=True)


def sheet_of(project: Project, role: Role, *, output: OutputFormat | None = None) -> Sheet:
    """Of whoever fills a role. Raises InputError where nobody does, or the engine's file is gone."""
    decision = next((one for one in decisions(project.documents) if one.role == role.id), None)
    candidate = next((c for c in project.shortlist.candidates()
                      if decision is not None and c.id == decision.candidate_id), None)  # fmt: skip
    if decision is None or candidate is None:
        raise InputError(tr("Nobody fills the role '{role}' yet.", role=word(role.name)),
                         kept=tr("Nothing was written."),
                         remedy=tr("Choose somebody for it on the Choice tab."))  # fmt: skip
    engine, source = _file_of(project, candidate)
    voice = engine.voice(candidate.voice)
    if voice is None:
        raise InputError(tr("{engine} lists no voice '{voice}'.", engine=engine.engine, voice=candidate.voice),
                         kept=tr("Nothing was written."))  # fmt: skip
    plan, rights = plan_of(candidate, engine), rights_of(project, candidate, engine)
    secret = getattr(engine.speak, "secret", "")
    factory = engine.factory_settings()
    made_of = project.own_voices.made_of(candidate.engine, candidate.voice)
    ends = [one.consent.until for one in made_of if one.consent is not None and one.consent.until is not None]
    return Sheet(
        written=today(), by=f"Zest Panel {__version__}", channel=project.brief.channel, role=role.name,
        why=decision.why, decided_by=decision.by, decided=decision.decided[:10], engine=engine.engine,
        model=candidate.model, model_version=candidate.model_version, route=candidate.route,
        language=candidate.language, voice=voice, plan=plan,
        settings={c.name: Setting(value=candidate.settings.get(c.name, factory[c.name]), factory=factory[c.name],
                                  hint=c.hint)
                  for c in engine.controls if c.applies(model=candidate.model, voice=candidate.voice)},
        sending=project.sending.choices(engine.engine), pronunciations=_said(project, candidate),
        pieces=engine.limits_under([candidate.plan]).characters_per_request, output=output or OutputFormat(),
        rights=rights,  # type: ignore[arg-type]
        credit=credit_line(project, candidate),
        consent_until=min(ends, default=None), samples=tuple(one.clip for one in made_of),
        keys=(secret,) if secret else (),
        reference=_reference(project, candidate), connector=source,
        connector_sha256=hashlib.sha256(source.encode()).hexdigest(),
    )  # fmt: skip


def rights_of(project: Project, candidate: Candidate, engine: Engine) -> dict[str, str]:
    """What is known of the rights under a candidate's plan: yes, no or unknown."""
    facts = ledger(engine, "plan", candidate.plan, project.notes.statements().get(engine.engine, []))
    return {name: facts[name].state if facts[name].state in ("yes", "no") else "unknown"
            for name in RIGHTS if name in facts}  # fmt: skip


def credit_line(project: Project, candidate: Candidate) -> str:
    """What a plan that demands a credit line is given; '' where none is demanded."""
    engine = project.shortlist.engines().get(candidate.engine)
    voice = engine.voice(candidate.voice) if engine is not None else None
    if engine is None or voice is None or rights_of(project, candidate, engine).get("no attribution") != "no":
        return ""
    return tr("Voice: {voice}, {engine}.", voice=voice.label, engine=engine.engine)


def credits_of(project: Project, narration: str) -> str:
    """The credit lines that the plans of all who speak demand, each once."""
    cast = set(project.dialogues.cast(narration).values())
    lines = [credit_line(project, one) for one in project.shortlist.candidates() if one.id in cast]
    return " ".join(dict.fromkeys(line for line in lines if line))


def _file_of(project: Project, candidate: Candidate) -> tuple[Engine, str]:
    files, engine = project.shortlist.files(), project.shortlist.engines().get(candidate.engine)
    if engine is None or candidate.engine not in files:
        raise InputError(tr("The connector file of {engine} is not in the project.", engine=candidate.engine),
                         kept=tr("Nothing was written."))  # fmt: skip
    return engine, files[candidate.engine][1]


def _said(project: Project, candidate: Candidate) -> tuple[Said, ...]:
    language = candidate.language.split("-")[0].lower()
    return tuple(
        Said(word=e.word, language=e.language, engine=e.engine, ipa=e.ipa, respelling=e.respelling)
        for e in project.pronunciations.all()
        if e.engine in ("", candidate.engine) and e.language.split("-")[0].lower() == language
    )


def _reference(project: Project, candidate: Candidate) -> Reference | None:
    takes = [take for take in project.takes.all(candidate_id=candidate.id) if take.scored]
    take = next((one for one in takes if one.starred), takes[0] if takes else None)
    if take is None:
        return None
    text, _ = project.texts.version_text(take.passage_version_id)
    return Reference(text=text, clip=take.clip)


# -- back in


def read_sheet(text: str, name: str) -> Sheet:
    """A sheet from YAML or JSON, whoever wrote it. Raises InputError naming what is wrong."""
    kept = tr("Nothing was sent.")
    if len(text) > LARGEST:
        raise InputError(tr("{name} is too long for a production sheet.", name=name), kept=kept)
    try:
        sheet = Sheet.model_validate(read_plainly(text)[1])
    except OddPart as error:
        raise InputError(tr("{name}, line {line}: {what}.", name=name, line=error.line, what=error.what),
                         kept=kept) from error  # fmt: skip
    except yaml.YAMLError as error:
        raise InputError(tr("{name} is no YAML or JSON ({error}).", name=name, error=str(error).split("\n")[0]),
                         kept=kept) from error  # fmt: skip
    except (ValidationError, RecursionError) as error:
        what = tr("it is nested too deeply")
        if isinstance(error, ValidationError):
            first = error.errors()[0]
            what = f"{'.'.join(str(part) for part in first['loc'])}: {first['msg']}"
        raise InputError(tr("{name} is no production sheet ({what}).", name=name, what=what), kept=kept) from error
    if hashlib.sha256(sheet.connector.encode()).hexdigest() != sheet.connector_sha256:
        raise InputError(
            tr("{name}: the connector file in it is not the one it was written with.", name=name), kept=kept,
            remedy=tr("Have the sheet written anew."),
        )  # fmt: skip
    return sheet


def set_up(project: Project, sheet: Sheet, name: str) -> tuple[int, list[str]]:
    """Bring a sheet's engine, plan, voice, choices and pronunciations into a project; (the candidate's id, what the
    project says otherwise than the sheet, a sentence each). Raises InputError, ConnectorError."""
    differs: list[str] = []
    shortlist = project.shortlist
    there = shortlist.files().get(sheet.engine)
    if there is None:
        engine = parse_connector(sheet.connector, name=name)
        refuse_keys(engine, name=name)
        refuse_unsaid(engine, name=name)
        shortlist.add_engine(engine, sheet.connector, f"{sheet.engine}.yaml")
    elif there[1] != sheet.connector:
        differs.append(tr("The connector file of {engine} is another one here.", engine=sheet.engine))
    engine = shortlist.engines()[sheet.engine]
    if engine.plan(sheet.plan.name) is None:
        shortlist.state_plans(sheet.engine, [*shortlist.stated_plans(sheet.engine), sheet.plan])
    if engine.voice(sheet.voice.id) is None and sheet.samples:
        raise InputError(
            tr("The voice '{voice}' was made of recordings that no sheet holds.", voice=sheet.voice.label),
            kept=tr("Nothing was sent."), remedy=tr("Narrate in the project that has them."),
        )  # fmt: skip
    if engine.voice(sheet.voice.id) is None:
        shortlist.put_fetched(sheet.engine, [*shortlist.fetched(sheet.engine), sheet.voice])
    engine = shortlist.engines()[sheet.engine]
    differs += _differences(sheet, engine)
    wanted = {setting: one.value for setting, one in sheet.settings.items()}
    shortlist.add(engine, voice=sheet.voice.id, model=sheet.model, plan=sheet.plan.name, language=sheet.language,
                  settings=wanted)  # fmt: skip
    factory = {**engine.factory_settings(), **wanted}
    candidate = next(
        c for c in shortlist.candidates()
        if (c.engine, c.voice, c.model, c.plan, c.language) == (
            sheet.engine, sheet.voice.id, sheet.model, sheet.plan.name, sheet.language) and dict(c.settings) == factory
    )  # fmt: skip
    if project.sending.choices(sheet.engine) != sheet.sending:
        project.sending.put_choices(sheet.engine, sheet.sending)
    known = {(e.word, e.language, e.engine, e.ipa, e.respelling) for e in project.pronunciations.all()}
    fresh = [Entry(word=s.word, language=s.language, engine=s.engine, ipa=s.ipa, respelling=s.respelling)
             for s in sheet.pronunciations
             if (s.word, s.language, s.engine, s.ipa, s.respelling) not in known]  # fmt: skip
    if fresh:
        project.pronunciations.put(fresh)
    return candidate.id, differs


def _differences(sheet: Sheet, engine: Engine) -> list[str]:
    """Version, price and rights as they are stated here, and as the sheet has them."""
    out = []
    model, plan = engine.model(sheet.model), engine.plan(sheet.plan.name)
    if model is not None and model.version != sheet.model_version:
        out.append(tr("{model} is version {here} here, {there} on the sheet.", model=model.id, here=model.version,
                      there=sheet.model_version))  # fmt: skip
    if plan is not None and plan.tariff != sheet.plan.tariff:
        out.append(tr("The price of {plan} is another one here.", plan=plan.name))
    if plan is not None and plan.rights != sheet.plan.rights:
        out.append(tr("The rights of {plan} are other ones here.", plan=plan.name))
    return out


_BARS: Final = ("commercial use", "download")


def bars_of(project: Project, narration: str) -> list[str]:
    """Why a narration must not be delivered without a word: what plans deny of those who speak, and texts that are for
    testing only."""
    cast, engines = set(project.dialogues.cast(narration).values()), project.shortlist.engines()
    out = []
    for candidate in project.shortlist.candidates():
        engine = engines.get(candidate.engine)
        if candidate.id in cast and engine is not None:
            rights = rights_of(project, candidate, engine)
            out += [_denied(name, candidate.plan) for name in _BARS if rights.get(name) == "no"]
            if missing := project.own_voices.consent_missing(candidate.engine, candidate.voice):
                out.append(f"{missing[:1].upper()}{missing[1:]}.")
    if any(turn.rights == "testing only" for turn in project.dialogues.turns(narration)):
        out.append(tr("The text is for testing only."))
    return list(dict.fromkeys(out))


def _denied(right: str, plan: str) -> str:
    return tr("{right}: no, under the plan {plan}.", right=capital(word(right)), plan=plan)


def bars(sheet: Sheet) -> Sequence[str]:
    """Why a narration by this sheet must not be delivered without a word: rights, and consents that have ended."""
    out = [_denied(name, sheet.plan.name) for name in _BARS if sheet.rights.get(name) == "no"]
    if sheet.consent_until is not None and sheet.consent_until < today():
        out.append(tr("The consent of the person whose voice it is ended on {day}.", day=sheet.consent_until))
    return out
