"""Keys that stand where none belongs: known by the names they go under, and by their looks."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from typing import Any, Final
from urllib.parse import urlsplit

from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.catalogue.reaching import KEY_NAMES, CommandSpeak, HttpSpeak, Reached, WebSocketSpeak
from zestpanel.core.errors import ConnectorError
from zestpanel.core.texts import tr

# further names under which people hand over what only they know (common practice, no source)
_NAMES: Final = re.compile(
    r"(.*[-_])?(api[-_]?key|apikey|key|secret|token|passwd|password|pass|auth|authori[sz]ation|credentials?|bearer"
    r"|session([-_]?id)?|signature|subscription[-_]key)",
    re.IGNORECASE,
)
_SIGNS: Final = re.compile(r"[A-Za-z0-9_\-.+/=~:]{16,}")
_PREFIX: Final = re.compile(r"(sk|pk|rk|key|api|tok|token|ghp|xox[a-z])[-_]", re.IGNORECASE)


def is_key_name(name: str) -> bool:
    return bool(KEY_NAMES.fullmatch(name) or _NAMES.fullmatch(name))


def looks_like_key(value: str) -> bool:
    """A run of letters and digits that nobody would think of: of 16 signs or more, with a piece of 12 that mixes both.

    Formats and model names ('pcm_s16le_22050') come in short pieces.
    """
    if not _SIGNS.fullmatch(value):
        return False
    if _PREFIX.match(value) and re.search(r"\d", value):
        return True
    pieces = re.split(r"[_\-./:=~+]", value)
    return any(
        len(piece) >= 12 and re.search(r"\d", piece) and re.search(r"[A-Za-z]", piece)
        for piece in pieces
    )  # fmt: skip


def refuse_keys(engine: Engine, *, name: str) -> None:
    """Raises ConnectorError for a file that holds a key: whoever gets the file or the project would have it."""
    for where, item, value in _values(engine):
        if "{" in value:  # a place, or a variable of the environment
            continue
        rest = value.rpartition(" ")[2]
        if value.strip() and (is_key_name(item) or item.lower() == "cookie" or looks_like_key(rest)):
            raise ConnectorError(
                tr("{name}: {where} looks like a key, and a connector file holds none.", name=name, where=where),
                kept=tr("Nothing was added."),
                remedy=tr(
                    "Write {secret} in its place and name it with 'secret:'; what is no key may be a variable, "
                    "${ZEST_NAME}."
                ),
            )


def _values(engine: Engine) -> Iterator[tuple[str, str, str]]:
    """(where it stands, the name it goes under, the value) of all that could hold a key."""
    speak = engine.speak
    if isinstance(speak, CommandSpeak):
        yield from (("environment." + name, name, value) for name, value in speak.environment.items())
        for before, value in zip(("", *speak.arguments), speak.arguments, strict=False):
            option, joined, rest = value.partition("=")
            yield (
                tr("an argument"),
                option.lstrip("-") if joined else before.lstrip("-") if before[:1] == "-" else "",
                (rest if joined else "" if value.startswith("-") or "/" in value else value),
            )
    if not isinstance(speak, Reached):
        return
    assert isinstance(speak, HttpSpeak | WebSocketSpeak)
    parts: list[tuple[str, Mapping[str, str]]] = [("headers", speak.headers), ("query", speak.query)]
    if engine.voices_from is not None:
        parts.append(("voices_from.headers", engine.voices_from.headers))
    for part, named in parts:
        yield from ((f"{part}.{name}", name, value) for name, value in named.items())
    for field, address in (("address", speak.address), ("proxy", speak.proxy)):
        try:
            taken = urlsplit(address)
        except ValueError:
            continue
        if taken.password or (taken.username and "{" not in taken.netloc):
            yield field, "password", taken.password or taken.username or ""
        yield from ((field, "", segment) for segment in re.split(r"[/?&=]", taken.path + "?" + taken.query))
    body = speak.body if isinstance(speak, HttpSpeak) else list(speak.send)
    yield from _in_tree(body, "body" if isinstance(speak, HttpSpeak) else "send", "")


def _in_tree(tree: Any, where: str, name: str) -> Iterator[tuple[str, str, str]]:
    if isinstance(tree, Mapping):
        for key, value in tree.items():
            yield from _in_tree(value, f"{where}.{key}", str(key))
    elif isinstance(tree, list | tuple):
        for value in tree:
            yield from _in_tree(value, where, name)
    elif isinstance(tree, str) and " " not in tree.strip():
        yield where, name, tree
