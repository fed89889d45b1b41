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
        return [Obstacle("voice", f"{engine.engine} no longer lists this voice")]
    if candidate.ended:
        return [Obstacle("version", f"the same request gives another sound since {candidate.ended_on}")]
    if stated := superseded_by(candidate, engine):
        why = f"its model is stated as version {stated} now, this is {candidate.model_version}"
        return [Obstacle("version", f"{why}: put the new one beside it (Duplicate with a change)")]
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
        out.append(f"'{plan.name}' is a trial: the plan bought later may lack this voice")
    rights = ledger(engine, "plan", candidate.plan, here.own)["commercial use"] if plan is not None else None
    if rights is None or rights.state == "unknown":
        out.append("commercial use is unknown: it cannot be chosen while that is a must")
    if voice is not None and voice.same_as:
        out.append(f"the same voice as {voice.same_as}, by another route")
    if model is not None and model.version == "unstated":
        out.append("the model's version is not stated: takes are dated instead")
    broken = ledger(engine, "engine", own=here.own)["broken"]
    if broken.state == "stated":
        out.append(f"broken or beta: {broken.words}")
    if not engine.is_hosted:
        verdict, why = fits(ledger(engine, "model", candidate.model, here.own), here.machine())
        if verdict == "slow":
            out.append(f"slow here: {'; '.join(why)}")
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
        out.append(Obstacle("language", f"voice speaks no {language_name(language)}"))
    elif candidate.one_language and candidate.language.split("-")[0].lower() != language.split("-")[0].lower():
        out.append(Obstacle("language", f"held to {language_name(candidate.language)}"))
    if typed := marks_in(text):
        names = ", ".join(f"<{name}>" for name in typed)
        out.append(Obstacle("mark", f"{names} would be read aloud: turn the tags of the text into marks"))
    return out


def _voice_and_plan(candidate: Candidate, engine: Engine, voice: Voice, here: Surroundings) -> list[Obstacle]:
    out = []
    if voice.models and candidate.model not in voice.models:
        out.append(Obstacle("model", "voice is not in this model"))
    plan = engine.plan(candidate.plan)
    if voice.tier and plan is not None and voice.tier not in plan.tiers:
        out.append(Obstacle("tier", f"plan '{plan.name}' lacks tier '{voice.tier}'"))
    if voice.made == "recorded" and (why := here.consent_missing(engine.engine, voice.id)):
        out.append(Obstacle("consent", why))
    known = ledger(engine, "voice", voice.id, here.own)
    if known["well-known person"].state == "yes":
        out.append(Obstacle("rights", "voice imitates a well-known person and may not be used"))
    return out


def _settings(candidate: Candidate, engine: Engine, voice: Voice) -> list[Obstacle]:
    out = []
    for control in engine.controls:
        value = candidate.settings.get(control.name, control.default)
        if problem := control.check(value):
            out.append(Obstacle("setting", problem))
        elif value != control.default and not control.applies(model=candidate.model, voice=voice.id):
            out.append(Obstacle("setting", f"{control.name} does not exist for this voice and model"))
        elif control.means == "style" and value != control.default and value not in voice.styles:
            has = f"it has {', '.join(voice.styles)}" if voice.styles else "it has none"
            out.append(Obstacle("style", f"{voice.label} has no style '{value}'; {has}"))
    return out


def secret_of(engine: Engine) -> str:
    """The name of the key an engine asks for, '' for none."""
    return getattr(engine.speak, "secret", "")


def _key(engine: Engine, here: Surroundings) -> list[Obstacle]:
    secret = secret_of(engine)
    return [] if not secret or here.has_key(secret) else [Obstacle("key", f"the key '{secret}' is missing")]


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
                out.append(Obstacle("installed", f"model not installed: {wanted} is not there"))
    if engine.speak.kind == "command":
        try:
            program = expand_environment(engine.speak.arguments[0])
            if not _program_is_there(program):
                out.append(Obstacle("installed", f"the program '{program}' is not installed"))
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
