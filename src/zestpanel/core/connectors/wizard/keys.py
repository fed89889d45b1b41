"""Keys in what was pasted: by the names they go under, and by their looks wherever they stand."""

from __future__ import annotations

import json
import re
from dataclasses import dataclass, field
from typing import Any, Final

from zestpanel.core.catalogue.key_looks import is_harmless_header, is_key_name, looks_like_key
from zestpanel.core.errors import InputError
from zestpanel.core.texts import tr

PLACE: Final = "{secret}"
_SCHEME: Final = re.compile(r"^(Bearer|Token|Basic|Key|ApiKey|Api-Key)\s+", re.IGNORECASE)


@dataclass(slots=True)
class FoundKey:
    """The one key of a call. ``take`` gives a value with its place in it where the value is or holds a key."""

    value: str = field(default="", repr=False)
    where: str = ""
    places: list[str] = field(default_factory=list)

    def take(self, name: str, value: str, where: str, *, header: bool = False) -> str:
        """Raises InputError for a second key: a connector file names one."""
        scheme = _SCHEME.match(value)
        rest = value[scheme.end() :] if scheme else value
        if not rest.strip() or PLACE in rest:
            return value
        if not (scheme or is_key_name(name) or looks_like_key(rest) or (header and not is_harmless_header(name))):
            return value
        self.note(rest, where)
        return (scheme.group() if scheme else "") + PLACE

    def note(self, value: str, where: str) -> None:
        if self.value and self.value != value:
            raise InputError(
                tr(
                    "The call holds two different keys, in the {where} and in the {where2}; a connector file "
                    "names one.",
                    where=self.where,
                    where2=where,
                ),
                kept=tr("Nothing was kept of them."),
                remedy=tr("Leave out the one that the service can do without."),
            )
        self.value, self.where = value, self.where or where
        self.places.append(where)

    def out_of(self, tree: Any, where: str, name: str = "") -> Any:
        """A body with the place where a key stood."""
        if isinstance(tree, dict):
            return {key: self.out_of(value, where, str(key)) for key, value in tree.items()}
        if isinstance(tree, list):
            return [self.out_of(value, where, name) for value in tree]
        if isinstance(tree, str) and tree.lstrip().startswith(("{", "[")):
            try:  # JSON that is sent as a string of JSON
                inner = json.loads(tree)
            except (ValueError, RecursionError):
                return tree
            cleaned = self.out_of(inner, where, name)
            return tree if cleaned == inner else json.dumps(cleaned, ensure_ascii=False)
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
