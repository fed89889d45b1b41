"""One line in one voice, into a file: asked for of an engine, or spoken by the built-in voice."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from zestpanel.core.errors import InputError
from zestpanel.verbs.opening import Output, opened

if TYPE_CHECKING:
    from zestpanel.core.catalogue.facts import Voice


def hear(options: argparse.Namespace) -> Output:
    """Ask for a line, or take what is kept of the same request, and write it as WAV if a file is named."""
    from zestpanel.core.audio.files import write_wav
    from zestpanel.core.runs.execute import auditioning

    with opened(options) as project:
        engine = project.shortlist.engines().get(options.engine)
        voice = engine.voice(options.voice) if engine else None
        if engine is None or voice is None:
            what = (
                f"no engine '{options.engine}'" if engine is None else f"no voice '{options.voice}' of {engine.engine}"
            )
            raise InputError(f"The project has {what}.", kept="Nothing was sent.")
        language = _language_of(voice, options.language)
        model = options.model or (voice.models[0] if voice.models else engine.models[0].id)
        plan = options.plan or (engine.plans[0].name if engine.plans else "")
        line = auditioning.line_for(
            project.sending, project.own_voices, engine, options.line, voice=voice.id, model=model, plan=plan,
            settings={}, language=language,
        )  # fmt: skip
        heard = auditioning.hear(project, line, again=options.again)
        said = f"{heard.clip.duration_s:.2f} s of sound"
        said += f", kept from {heard.asked_on}; --again asks anew" if heard.asked_on else ", asked for just now"
        lines = [said]
        if options.to:
            try:
                write_wav(options.to, heard.clip)
            except OSError as error:
                raise InputError(f"{options.to} cannot be written ({error.strerror}).",
                                 kept="The line is kept in the project.") from error  # fmt: skip
            lines.append(f"Written to {options.to}.")
        return {"duration_s": heard.clip.duration_s, "asked_on": heard.asked_on, "lines": lines}


def _language_of(voice: Voice, stated: str) -> str:
    """The voice's language that a line is in. Raises InputError where it is not told, or not the voice's."""
    from zestpanel.core.catalogue.facts import language_for
    from zestpanel.core.typed import typed_language

    if stated:
        tag = typed_language(stated)
        if not voice.speaks(tag):
            raise InputError(f"{voice.label} speaks {', '.join(voice.languages)}, not {tag}.", kept="Nothing was sent.")
        return language_for(voice, "", tag)
    if len({tag.partition("-")[0] for tag in voice.languages}) > 1:
        raise InputError(
            f"{voice.label} speaks {', '.join(voice.languages)}.", kept="Nothing was sent.",
            remedy="Say with --language which of them the line is in.",
        )  # fmt: skip
    return voice.languages[0]


def say(options: argparse.Namespace) -> Output:
    """Speak a text with the built-in voice into a WAV file: what the engine to begin with runs."""
    from zestpanel.core.audio.clip import Clip, as_samples
    from zestpanel.core.audio.files import write_wav
    from zestpanel.core.speech.builtin_voice import speak

    said = speak(options.text, voice=options.voice, rate_wpm=options.pace)
    clip = Clip(samples=as_samples(said.samples), rate_hz=said.rate_hz)
    try:
        write_wav(options.to, clip)
    except OSError as error:
        raise InputError(f"{options.to} cannot be written ({error.strerror}).", kept="Nothing was written.") from error
    return {"duration_s": clip.duration_s, "lines": []}
