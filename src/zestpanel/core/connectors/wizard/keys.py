"""Keys in what was pasted: by the names they go under, and by their looks wherever they stand."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from typing import Any, Final

from zestpanel.core.catalogue.reaching import KEY_NAMES
from zestpanel.core.errors import InputError

PLACE: Final = "{secret}"
# further names under which people hand over what only they know (common practice, no source)
_NAMES: Final = re.compile(
    r"(.*[-_])?(api[-_]?key|apikey|key|secret|token|passwd|password|pass|auth|authori[sz]ation|credentials?|bearer"
    r"|session([-_]?id)?|signature|subscription[-_]key)",
    re.IGNORECASE,
)
_SCHEME: Final = re.compile(r"^(Bearer|Token|Basic|Key|ApiKey|Api-Key)\s+", re.IGNORECASE)
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


@dataclass(slots=True)
class FoundKey:
    """The one key of a call. ``take`` gives a value with its place in it where the value is or holds a key."""

    value: str = field(default="", repr=False)
    where: str = ""
    places: list[str] = field(default_factory=list)

    def take(self, name: str, value: str, where: str) -> str:
        """Raises InputError for a second key: a connector file names one."""
        scheme = _SCHEME.match(value)
        rest = value[scheme.end() :] if scheme else value
        if not rest.strip() or PLACE in rest:
            return value
        if not (scheme or is_key_name(name) or looks_like_key(rest)):
            return value
        self.note(rest, where)
        return (scheme.group() if scheme else "") + PLACE

    def note(self, value: str, where: str) -> None:
        if self.value and self.value != value:
            raise InputError(
                f"The call holds two different keys, in the {self.where} and in the {where}; a connector file names "
                "one.",
                kept="Nothing was kept of them.",
                remedy="Leave out the one that the service can do without.",
            )
        self.value, self.where = value, self.where or where
        self.places.append(where)

    def out_of(self, tree: Any, where: str, name: str = "") -> Any:
        """A body with the place where a key stood."""
        if isinstance(tree, dict):
            return {key: self.out_of(value, where, str(key)) for key, value in tree.items()}
        if isinstance(tree, list):
            return [self.out_of(value, where, name) for value in tree]
        if isinstance(tree, str) and " " not in tree.strip():
            return self.take(name, tree, f"{where} '{name}'" if name else where)
        return tree


def without_key(tree: Any, key: str) -> Any:
    """A part of the draft with every other mention of the key replaced by its place."""
    if isinstance(tree, dict):
        return {without_key(name, key): without_key(value, key) for name, value in tree.items()}
    if isinstance(tree, list):
        return [without_key(value, key) for value in tree]
    return tree.replace(key, PLACE) if isinstance(tree, str) and len(key) >= 4 else tree
