"""Keys that stand where none belongs: judged by the place (a name that means a secret, what stands behind 'Bearer', a
header that is not of the harmless ones, a user's part of an address), and by their looks where no name tells."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from itertools import pairwise
from typing import Any, Final

from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.catalogue.places import PLACE
from zestpanel.core.catalogue.reaching import KEY_NAMES
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


# headers whose values are no secrets: the registered ones (IANA, HTTP Field Name Registry) and words in names that
# services give theirs (common practice, no source)
_HARMLESS: Final = re.compile(
    r"accept(-.*)?|content-.*|cache-control|pragma|connection|date|expect|host|origin|referer|range|te|upgrade|via|dnt"
    r"|if-.*|prefer|priority|user-agent|keep-alive|sec-fetch-.*|sec-websocket-.*",
    re.IGNORECASE,
)
_HARMLESS_WORDS: Final = re.compile(
    r"format|version|model|language|lang|locale|voice|region|rate|encoding|type|output|codec|sample|timeout|retry"
    r"|priority|trace|request|app|application|client|title|agent|stream|mode|quality|speed|channels?|bits|beta"
    r"|features?|count|size|length|prefer|job|task|project|tenant"
)
_SECRET_WORDS: Final = re.compile(
    r"key|secret|token|auth|authorization|password|passwd|pass|credentials?|signature|session|cookie|apikey|bearer"
)
_VARIABLE: Final = re.compile(r"\$\{[A-Za-z_][A-Za-z0-9_]*\}")
_SCHEME: Final = re.compile(r"\b(bearer|basic|token|api-?key|digest)\s+([^\s\"',;]+)", re.IGNORECASE)
_SCHEME_ALONE: Final = re.compile(r"bearer|basic|token|api-?key|key|digest", re.IGNORECASE)
# name: value, name=value, "name": "value" and <name>value</name>, wherever they stand in a text
_PAIR: Final = re.compile(r"""(?<![\w.-])([A-Za-z][\w.-]*)["']?\s*[:=]\s*["']?(?=([^\s"'&;,<>}\]]+))""")
_ELEMENT: Final = re.compile(r"<([A-Za-z][\w.:-]*)[^<>]*>\s*([^<>\s][^<>]*)<")
_USER: Final = re.compile(r"://([^/?#\s@]+)@")
_HOST: Final = re.compile(r"://([^/?#\s@:]+)")
_PLAIN: Final = re.compile(r"[-+\d.,%]*|true|false|null|none|yes|no|on|off", re.IGNORECASE)
_HOLD: Final = frozenset({"headers", "query", "body", "send", "options", "environment"})
_PATHS: Final = frozenset({"each", "values", "otherwise", "reply", "failures", "done", "failed"})


def bare(value: str) -> str:
    """What stands there beside places, variables of the environment, and the name of a scheme before them."""
    left = _VARIABLE.sub("", PLACE.sub("", value)).strip()
    return "" if _SCHEME_ALONE.fullmatch(left) else left


def holds_key_at(name: str, value: str) -> bool:
    """Whether a value that is sent under a name is a key, or holds one."""
    left = bare(value)
    secret = is_key_name(name) or name.lower() == "cookie"
    return bool(left) and (not _PLAIN.fullmatch(left) if secret else holds_key_within(left))


def holds_key_within(text: str) -> bool:
    """The same of a text that has no name: by the names in it, and by looks."""
    text = bare(text)
    pairs = [*_PAIR.findall(text), *_ELEMENT.findall(text), *_SCHEME.findall(text)]
    if any((is_key_name(name) or name.lower() in ("bearer", "basic")) and not _PLAIN.fullmatch(v) for name, v in pairs):
        return True
    if any(user.strip(":") for user in _USER.findall(text)):
        return True
    if any(looks_like_key(host.partition(".")[0]) for host in _HOST.findall(text)):
        return True
    return any(looks_like_key(part) for part in re.split(r"[\s/?&=,;\"'<>(){}\[\]]+", text))


def is_harmless_header(name: str) -> bool:
    words = re.split(r"[-_]", name.lower())
    return not any(map(_SECRET_WORDS.fullmatch, words)) and (
        _HARMLESS.fullmatch(name) is not None or any(map(_HARMLESS_WORDS.fullmatch, words))
    )


def keys_among(arguments: Sequence[str]) -> Iterator[str]:
    """The arguments of a program that are or hold a key, as they may be shown: by the option before, never whole."""
    for before, word in pairwise(["", *arguments]):
        left = bare(word)
        if not left or _PLAIN.fullmatch(left):
            continue
        name, joined, value = word.partition("=")
        if _is_option_of_key(before, left) and not word.startswith("-"):
            yield before
        elif joined and word.startswith("-") and holds_key_at(name.lstrip("-"), value):
            yield name
        elif ("/" not in word or "://" in word) and holds_key_within(word):
            yield before or f"{word[:4]}…"


def _is_option_of_key(option: str, value: str) -> bool:
    name = option.lstrip("-")
    if option == name or "=" in option:
        return False
    return is_key_name(name) or option == "-k" or (name in ("u", "user") and ":" in value.strip(":"))


def refuse_keys(engine: Engine, *, name: str) -> None:
    """Raises ConnectorError for a file that holds a key: whoever gets the file or the project would have it."""
    where = next(_keys_in(engine), "")
    if where:
        program = engine.speak.kind == "command"
        raise ConnectorError(
            tr("{name}: {where} looks like a key, and a connector file holds none.", name=name, where=where),
            kept=tr("Nothing was added."),
            remedy=tr(
                "Let the program read it from its own settings, or from a variable of the environment that is named "
                "ZEST_…: NAME: ${ZEST_NAME} under 'environment:'."
            )
            if program
            else tr(
                "Write {secret} in its place and name it with 'secret:'; what is no key may be a variable, "
                "${ZEST_NAME}."
            ),
        )


def _keys_in(engine: Engine) -> Iterator[str]:
    """Where keys stand, over the whole document."""
    document = engine.model_dump(mode="json", by_alias=True, exclude_defaults=True)
    speak = document.get("speak", {})
    for where in keys_among(speak.pop("arguments", ())):
        yield tr("an argument ({where})", where=where)
    if looks_like_key(str(speak.get("secret", ""))):
        yield "secret"
    speak.pop("secret", None)
    yield from _walked(document, ())


def _walked(tree: Any, path: tuple[str, ...]) -> Iterator[str]:
    if isinstance(tree, dict):
        for key, value in tree.items():
            yield from _walked(value, (*path, str(key)))
    elif isinstance(tree, list):
        for value in tree:
            yield from _walked(value, path)
    elif isinstance(tree, str) and _is_key(path, tree):
        yield ".".join(path).removeprefix("speak.")


def _is_key(path: tuple[str, ...], value: str) -> bool:
    name = path[-1]
    if not bare(value) or path[0] in ("voices", "models", "voice_names"):  # ids, which are what they are
        return False
    if path[0] not in ("speak", "voices_from", "makes_voices"):
        return any(_PREFIX.match(word) and looks_like_key(word) for word in re.split(r"[\s\"'=:,;]+", value))
    if _PATHS & set(path):
        return looks_like_key(bare(value))
    if "headers" in path:
        return not is_harmless_header(name) or holds_key_at(name, value)
    return holds_key_at(name, value) if _HOLD & set(path) else holds_key_within(value)
