"""What stands against sending a text to a candidate, said in plain words before anything is sent or paid."""

from __future__ import annotations

import os
import re
import shutil
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Final

from zestpanel.core.catalogue.candidate import superseded_by
from zestpanel.core.catalogue.facts import Engine, Voice
from zestpanel.core.catalogue.ledger import OwnStatement, ledger
from zestpanel.core.catalogue.machine import Machine, fits, this_machine
from zestpanel.core.connectors.agreed import not_agreed
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.errors import SynthesisFailure
from zestpanel.core.languages import language_name
from zestpanel.core.secrets.environment import expand_environment
from zestpanel.core.secrets.keys import has_secret
from zestpanel.core.texts import tr

# elements of SSML 1.1 (W3C) that may stand inside a text
_MARK: Final = re.compile(
    r"</?\s*(audio|break|desc|emphasis|lang|lexicon|lookup|mark|meta|metadata|p|phoneme|prosody|s|say-as|speak|sub|"
    r"token|voice|w)\b[^>]*>",
    re.IGNORECASE,
)


@dataclass(frozen=True, slots=True)
class Obstacle:
    """kind: a word for what it is about; words: the sentence part shown."""

    kind: str
    words: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Surroundings:
    """What a candidate is held against besides its facts. consent_missing: why a voice of one's own may not speak."""

    machine: Callable[[], Machine] = this_machine
    has_key: Callable[[str], bool] = has_secret
    consent_missing: Callable[[str, str], str] = lambda engine, voice: ""
    own: Sequence[OwnStatement] = ()
    not_agreed: Callable[[Engine], str] = not_agreed


def obstacles(candidate: Candidate, engine: Engine, here: Surroundings) -> list[Obstacle]:
    """What stands in the way whatever the text is."""
    voice = engine.voice(candidate.voice)
    if voice is None:
        return [Obstacle("voice", tr("{engine} no longer lists this voice", engine=engine.engine))]
    if candidate.ended:
        return [
            Obstacle(
                "version", tr("the same request gives another sound since {ended_on}", ended_on=candidate.ended_on)
            )
        ]
    if stated := superseded_by(candidate, engine):
        why = tr(
            "its model is stated as version {stated} now, this is {model_version}",
            stated=stated,
            model_version=candidate.model_version,
        )
        return [Obstacle("version", tr("{why}: put the new one beside it (Duplicate with a change)", why=why))]
    return [
        *_voice_and_plan(candidate, engine, voice, here),
        *_settings(candidate, engine, voice),
        *_agreed(engine, here),
        *_key(engine, here),
        *_installed(candidate, engine, here),
    ]


def remarks(candidate: Candidate, engine: Engine, here: Surroundings) -> list[str]:
    """What is worth knowing although it stops nothing: a trial's plan, unknown rights, the same voice elsewhere."""
    out = []
    plan, voice, model = engine.plan(candidate.plan), engine.voice(candidate.voice), engine.model(candidate.model)
    if plan is not None and plan.trial:
        out.append(tr("'{name}' is a trial: the plan bought later may lack this voice", name=plan.name))
    rights = ledger(engine, "plan", candidate.plan, here.own)["commercial use"] if plan is not None else None
    if rights is None or rights.state == "unknown":
        out.append(tr("commercial use is unknown: it cannot be chosen while that is a must"))
    if voice is not None and voice.same_as:
        out.append(tr("the same voice as {same_as}, by another route", same_as=voice.same_as))
    if model is not None and model.version == "unstated":
        out.append(tr("the model's version is not stated: takes are dated instead"))
    broken = ledger(engine, "engine", own=here.own)["broken"]
    if broken.state == "stated":
        out.append(tr("broken or beta: {words}", words=broken.words))
    if not engine.is_hosted:
        verdict, why = fits(ledger(engine, "model", candidate.model, here.own), here.machine())
        if verdict == "slow":
            out.append(tr("slow here: {why}", why="; ".join(why)))
    return out


@lru_cache(maxsize=4096)
def marks_in(text: str) -> tuple[str, ...]:
    """The elements of SSML that stand in a text, by name; the grid asks for each text once a candidate."""
    if "<" not in text:
        return ()
    return tuple(sorted({match.group(1).lower() for match in _MARK.finditer(text)}))


def text_obstacles(candidate: Candidate, engine: Engine, text: str, language: str) -> list[Obstacle]:
    """What stands against this text."""
    voice = engine.voice(candidate.voice)
    if voice is None:
        return []
    out = []
    if not voice.speaks(language):
        out.append(Obstacle("language", tr("voice speaks no {language_name}", language_name=language_name(language))))
    elif candidate.one_language and candidate.language.split("-")[0].lower() != language.split("-")[0].lower():
        out.append(Obstacle("language", tr("held to {language_name}", language_name=language_name(candidate.language))))
    if typed := marks_in(text):
        names = ", ".join(f"<{name}>" for name in typed)
        out.append(
            Obstacle("mark", tr("{names} would be read aloud: turn the tags of the text into marks", names=names))
        )
    return out


def _voice_and_plan(candidate: Candidate, engine: Engine, voice: Voice, here: Surroundings) -> list[Obstacle]:
    out = []
    if voice.models and candidate.model not in voice.models:
        out.append(Obstacle("model", tr("voice is not in this model")))
    plan = engine.plan(candidate.plan)
    if voice.tier and plan is not None and voice.tier not in plan.tiers:
        out.append(Obstacle("tier", tr("plan '{name}' lacks tier '{tier}'", name=plan.name, tier=voice.tier)))
    if voice.made == "recorded" and (why := here.consent_missing(engine.engine, voice.id)):
        out.append(Obstacle("consent", why))
    known = ledger(engine, "voice", voice.id, here.own)
    if known["well-known person"].state == "yes":
        out.append(Obstacle("rights", tr("voice imitates a well-known person and may not be used")))
    return out


def _settings(candidate: Candidate, engine: Engine, voice: Voice) -> list[Obstacle]:
    out = []
    for control in engine.controls:
        value = candidate.settings.get(control.name, control.default)
        if problem := control.check(value):
            out.append(Obstacle("setting", problem))
        elif value != control.default and not control.applies(model=candidate.model, voice=voice.id):
            out.append(Obstacle("setting", tr("{name} does not exist for this voice and model", name=control.name)))
        elif control.means == "style" and value != control.default and value not in voice.styles:
            has = tr("it has {styles}", styles=", ".join(voice.styles)) if voice.styles else tr("it has none")
            out.append(
                Obstacle("style", tr("{label} has no style '{value}'; {has}", label=voice.label, value=value, has=has))
            )
    return out


def secret_of(engine: Engine) -> str:
    """The name of the key an engine asks for, '' for none."""
    return getattr(engine.speak, "secret", "")


def missing_key(engine: Engine) -> str:
    return tr("the key '{secret}' is missing", secret=secret_of(engine))


def _key(engine: Engine, here: Surroundings) -> list[Obstacle]:
    secret = secret_of(engine)
    return [] if not secret or here.has_key(secret) else [Obstacle("key", missing_key(engine))]


def _agreed(engine: Engine, here: Surroundings) -> list[Obstacle]:
    why = here.not_agreed(engine)
    return [Obstacle("agreed", why)] if why else []


def _installed(candidate: Candidate, engine: Engine, here: Surroundings) -> list[Obstacle]:
    if engine.is_hosted:
        return []
    needs = ledger(engine, "model", candidate.model, here.own)
    out = []
    for name, there in (("needs a file", _file_is_there), ("needs a program", _program_is_there)):
        for statement in needs[name].statements:
            try:
                wanted = expand_environment(statement.words)
            except SynthesisFailure as failure:
                out.append(Obstacle("installed", failure.what.rstrip(".")))
                continue
            if not there(wanted):
                out.append(Obstacle("installed", tr("model not installed: {wanted} is not there", wanted=wanted)))
    if engine.speak.kind == "command":
        try:
            program = expand_environment(engine.speak.arguments[0])
            if not _program_is_there(program):
                out.append(Obstacle("installed", tr("the program '{program}' is not installed", program=program)))
        except SynthesisFailure as failure:
            out.append(Obstacle("installed", failure.what.rstrip(".")))
    if any(needs[name].statements for name in ("memory", "disk", "video memory", "needs an accelerator")):
        verdict, why = fits(needs, here.machine())
        if verdict == "cannot":
            out.append(Obstacle("machine", "; ".join(why)))
    return out


def _file_is_there(path: str) -> bool:
    return Path(path).expanduser().exists()


def _program_is_there(name: str) -> bool:
    return shutil.which(name) is not None or os.access(name, os.X_OK)
