"""Filling a connector file's templates: {text}, {form}, {voice}, {model}, {language}, {seed}, {reference}, controls."""

from __future__ import annotations

import base64
import json
import re
import uuid
from collections.abc import Mapping
from contextlib import suppress
from typing import Any, Final
from xml.sax.saxutils import escape

from zestpanel.core.catalogue.places import DOUBLED, PLACE
from zestpanel.core.connectors.speaking import SpeakRequest
from zestpanel.core.errors import SynthesisFailure
from zestpanel.core.texts import tr

DESCRIBED_BY: Final = ("gender", "age", "accent", "strength")


def values_of(request: SpeakRequest, **more: str) -> dict[str, Any]:
    return {
        **request.settings,
        "text": request.text,
        "voice": request.voice,
        "model": request.model,
        "voice_number": int(request.voice) if re.fullmatch("[0-9]{1,18}", request.voice) else request.voice,
        "language": request.language,
        "locale": request.language.replace("-", "_"),
        "form": request.form,
        "seed": request.seed,
        "reference": request.reference,
        "request_id": uuid.uuid4().hex,
        **{name: request.described.get(name, "") for name in DESCRIBED_BY},
        _TO_ESCAPE: not request.marked,
        **more,
    }


def fill(template: Any, values: Mapping[str, Any]) -> Any:
    """Fill strings inside dicts and lists. A string that is one place only takes the value with its type.

    Doubled braces are braces: {{voice}} is written as {voice}. In a frame of markup, '<speak>{text}</speak>', no value
    is markup but a text that is marked (XML 1.0, section 2.4); in JSON that stands as a text, values stay values.
    """
    if isinstance(template, dict):
        return {key: fill(value, values) for key, value in template.items()}
    if isinstance(template, list | tuple):
        return [fill(value, values) for value in template]
    if not isinstance(template, str):
        return template
    if template.lstrip()[:1] in ("{", "[") and '"' in template and PLACE.search(template):
        with suppress(ValueError, RecursionError):  # JSON as a text, in a field of a form: no value breaks out of it
            return json.dumps(fill(json.loads(template), values), ensure_ascii=False)
    template = _cut_doubled(template)
    if values.get("reference") == "" and _RECORDING.search(template):
        raise SynthesisFailure("refused", tr("The voice has no recording that could be sent along. Nothing was sent."))
    if "{reference_base64}" in template:
        template = template.replace("{reference_base64}", _file_as_base64(str(values.get("reference", ""))))
    whole = PLACE.fullmatch(template)
    if whole and whole.group(1) in values:
        return values[whole.group(1)]
    if template.lstrip().startswith("<"):
        values = {k: escape(v, _QUOTES) if isinstance(v, str) and (k != "text" or values.get(_TO_ESCAPE)) else v
                  for k, v in values.items()}  # fmt: skip
    filled = PLACE.sub(lambda m: str(values.get(m.group(1), m.group(0))), template)
    return filled.replace(_OPEN, "{").replace(_SHUT, "}")


_TO_ESCAPE: Final = "the text is no markup"  # no place of a file is named so
_QUOTES: Final = {'"': "&quot;", "'": "&apos;"}
_RECORDING: Final = re.compile(r"\{reference(_base64)?\}")
_OPEN, _SHUT = "\ue0f0", "\ue0f1"  # stand for doubled braces while places are filled


def _cut_doubled(template: str) -> str:
    return DOUBLED.sub(rf"{_OPEN}\1{_SHUT}", template)


def _file_as_base64(path: str) -> str:
    """A recording's bytes as base64. Raises SynthesisFailure when it cannot be read, or is empty."""
    try:
        with open(path, "rb") as file:
            if recording := file.read():
                return base64.b64encode(recording).decode()
    except OSError as error:
        raise SynthesisFailure(
            "refused", tr("The voice's recording cannot be read ({strerror}).", strerror=error.strerror)
        ) from error
    raise SynthesisFailure("refused", tr("The voice's recording is empty. Nothing was sent."))
