"""Reading connector files: YAML or JSON, checked when loaded, the bad line named."""

from __future__ import annotations

import re
from difflib import get_close_matches
from pathlib import Path
from typing import Any

import yaml
from pydantic import TypeAdapter, ValidationError

from zestpanel.core.catalogue.facts import Engine, Voice
from zestpanel.core.catalogue.key_looks import refuse_keys
from zestpanel.core.catalogue.reaching import KINDS as REACHED_BY
from zestpanel.core.catalogue.unknown_places import unknown_places
from zestpanel.core.catalogue.unsaid import refuse_unsaid
from zestpanel.core.catalogue.yaml_text import OddPart, read_plainly
from zestpanel.core.errors import ConnectorError
from zestpanel.core.money.components import KINDS as COMPONENTS
from zestpanel.core.text_files import read_text
from zestpanel.core.texts import tr
from zestpanel.core.waiting import stand_aside

LARGEST_BYTES = 10_000_000
# a character beyond the first plane as JSON escapes it (RFC 8259, section 7), which YAML reads as two halves
_PAIR = re.compile(r"\\u([dD][89abAB][0-9a-fA-F]{2})\\u([dD][c-fC-F][0-9a-fA-F]{2})")


def _whole_character(pair: re.Match[str]) -> str:
    at = pair.start()
    while at and pair.string[at - 1] == "\\":
        at -= 1
    if (pair.start() - at) % 2:
        return pair[0]  # the backslash before it is escaped itself
    return chr(0x10000 + ((int(pair[1], 16) & 0x3FF) << 10) + (int(pair[2], 16) & 0x3FF))


def parse_connector(text: str, *, name: str, kept: bool = False) -> Engine:
    """An engine from a connector file's text. Raises ConnectorError naming file, line and item.

    kept: one that a project holds already, where a name that stands twice was let pass by an earlier version.
    """
    text = _PAIR.sub(_whole_character, text)
    try:
        node, data = read_plainly(text, twice=kept)
    except OddPart as error:
        raise ConnectorError(
            tr("{name}, line {line}: {what}.", name=name, line=error.line, what=error.what),
            kept=tr("Nothing was added."),
        ) from error
    except yaml.YAMLError as error:
        mark = getattr(error, "problem_mark", None)
        at = tr(", line {line}", line=mark.line + 1) if mark is not None else ""
        problem = getattr(error, "problem", None) or tr("it is not YAML or JSON")
        raise ConnectorError(f"{name}{at}: {problem}.", kept=tr("Nothing was added.")) from error
    except (ValueError, RecursionError) as error:
        raise ConnectorError(
            tr("{name}: a value cannot be read ({error}).", name=name, error=error), kept=tr("Nothing was added.")
        ) from error
    if not isinstance(data, dict) or "zest-connector" not in data:
        raise ConnectorError(
            tr("{name}, line 1: this is no connector file; it lacks 'zest-connector: 1'.", name=name),
            kept=tr("Nothing was added."),
        )
    try:
        engine = _validated(data)
        if not kept:
            _refuse_unknown_places(engine, node, name)
        _let_go(node)
        return engine
    except ValidationError as error:
        # a misspelt field shows as one unknown and one missing: the unknown one is what the eye must find
        first = next((e for e in error.errors() if e["type"] == "extra_forbidden"), error.errors()[0])
        place = tuple(part for part in first["loc"] if part not in _UNION_TAGS)
        within = ("kind",) if first["type"] == "union_tag_invalid" else ()
        line = _line_of(node, (*place, *within))
        item = _short(".".join(str(part) for part in place)) or tr("the file")
        message = first["msg"].removeprefix("Value error, ")
        if first["type"] == "extra_forbidden":
            message = tr("this field is not known here")
        raise ConnectorError(
            tr(
                "{name}, line {line}: {item}: {message}{message2}.",
                name=name,
                line=line,
                item=item,
                message=message[:1].lower(),
                message2=message[1:],
            ),
            kept=tr("Nothing was added."),
            remedy=tr("Correct the line and load the file again."),
        ) from error


_VOICES_AT_ONCE = 200
_SOME_VOICES: TypeAdapter[tuple[Voice, ...]] = TypeAdapter(tuple[Voice, ...])


def _validated(data: dict[str, Any]) -> Engine:
    """Raises ValidationError. Thousands of voices are checked some at a time, so that others run meanwhile."""
    voices = data.get("voices")
    if not isinstance(voices, list) or len(voices) <= _VOICES_AT_ONCE:
        return Engine.model_validate(data)
    found: list[Voice] = []
    for at in range(0, len(voices), _VOICES_AT_ONCE):
        stand_aside()
        try:
            found += _SOME_VOICES.validate_python(voices[at : at + _VOICES_AT_ONCE])
        except ValidationError:
            return Engine.model_validate(data)  # names the place
    return Engine.model_validate({**data, "voices": found})


def _let_go(node: yaml.Node | None) -> None:
    """What was read of thousands of voices is freed one by one: as a whole that would hold up others for long."""
    parts = node.value if isinstance(node, yaml.MappingNode) else []
    for each in [part.value for _, part in parts if isinstance(part, yaml.SequenceNode)]:
        while each:
            each.pop()


def _short(name: str) -> str:
    return name if len(name) <= 60 else f"{name[:59]}…"


def _refuse_unknown_places(engine: Engine, node: Any, name: str) -> None:
    """A misspelt {voice} would let every voice speak as the service's own."""
    for path, place in unknown_places(engine):
        close = get_close_matches(place, ["text", "voice", "model", "language", "seed", "secret", "output",
                                          *(control.name for control in engine.controls)], n=1)  # fmt: skip
        shown, at = _short(place), _short(".".join(map(str, path)))
        meant = tr(" Was {{{close}}} meant?", close=close[0]) if close else ""
        raise ConnectorError(
            tr(
                "{name}, line {line_of}: {at}: nothing fills {{{shown}}}.{meant}",
                name=name,
                line_of=_line_of(node, path),
                at=at,
                shown=shown,
                meant=meant,
            ),
            kept=tr("Nothing was added."),
            remedy=tr(
                "Correct the line; braces that are meant as they stand are doubled: {{{{{shown}}}}}.", shown=shown
            ),
        )


_UNION_TAGS = {*REACHED_BY, *COMPONENTS}


def read_connector(path: Path) -> tuple[Engine, str]:
    """(engine, the file's text). Raises ConnectorError."""
    text = read_text(path, most_mb=LARGEST_BYTES // 1_000_000, kept=tr("Nothing was added."), error=ConnectorError)
    engine = parse_connector(text, name=path.name)
    refuse_keys(engine, name=path.name)
    refuse_unsaid(engine, name=path.name)
    return engine, text


def _line_of(node: Any, place: tuple[Any, ...]) -> int:
    """Line (from 1) of the deepest part of the place that the file really has."""
    line = int(node.start_mark.line) + 1
    for part in place:
        if isinstance(node, yaml.MappingNode):
            found = next(((k, v) for k, v in node.value if k.value == str(part)), None)
            if found is None:
                return line
            line, node = int(found[0].start_mark.line) + 1, found[1]
        elif isinstance(node, yaml.SequenceNode) and isinstance(part, int) and part < len(node.value):
            node = node.value[part]
            line = int(node.start_mark.line) + 1
        else:
            return line
    return line
