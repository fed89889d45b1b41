"""Which places of a connector file nothing would be filled into."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, Final

from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.catalogue.places import PLACE

_EVERYWHERE: Final = frozenset({
    "text", "form", "voice", "voice_number", "model", "language", "locale", "seed", "reference", "reference_base64",
    "gender", "age", "accent", "strength", "request_id",
})  # fmt: skip
_LISTENING: Final = frozenset({"clip", "language", "locale", "request_id"})
_NETWORK: Final = frozenset({"secret", "secret_base64", "token"})
_OF_KIND: Final = {
    "http": _NETWORK,
    "websocket": _NETWORK,
    "command": frozenset({"output", "output_folder", "text_file"}),
    "folder": frozenset({"passage", "number", "repeat", "engine"}),
    "plugin": frozenset[str](),
    "heard of": frozenset[str](),
}
# fields in which places are filled, and what more than the usual can stand in some of them
_FILLED: Final = ("address", "headers", "query", "body", "files", "send", "arguments", "pattern")


def unknown_places(engine: Engine) -> Iterator[tuple[tuple[str | int, ...], str]]:
    """(path of the field in the file, name) of each place that nothing would be filled into."""
    known = _EVERYWHERE | _OF_KIND[engine.speak.kind] | {control.name for control in engine.controls}
    if engine.hears is not None:
        known = _LISTENING | (_NETWORK if engine.speak.kind == "http" else frozenset())
    for field in _FILLED:
        for path, name in _named(getattr(engine.speak, field, None), ("speak", field)):
            if name not in known:
                yield path, name
    job = getattr(engine.speak, "job", None)
    for field in ("poll", "fetch", "body"):
        for path, name in _named(getattr(job, field, None), ("speak", "job", field)):
            if name != "job":
                yield path, name
    for field, own in (("address", set[str]()), ("headers", _NETWORK), ("body", {"name", "language", "visibility"}),
                       ("poll", {"id"}), ("delete", {"id"})):  # fmt: skip
        for path, name in _named(getattr(engine.makes_voices, field, None), ("makes_voices", field)):
            if name not in own:
                yield path, name
    token = getattr(engine.speak, "token", None)
    for field in ("address", "headers", "query", "body"):
        for path, name in _named(getattr(token, field, None), ("speak", "token", field)):
            if name not in ("secret", "secret_base64", "request_id"):
                yield path, name


def _named(template: Any, path: tuple[str | int, ...]) -> Iterator[tuple[tuple[str | int, ...], str]]:
    if isinstance(template, dict):
        for key, value in template.items():
            yield from _named(value, (*path, key))
    elif isinstance(template, list | tuple):
        for number, value in enumerate(template):
            yield from _named(value, (*path, number))
    elif isinstance(template, str):
        for match in PLACE.finditer(template):
            yield path, match[1]
