"""YAML as this program reads it: by libyaml, without numbers to the base of sixty.

YAML 1.1 reads 59:59:59 as one number, which takes a time that grows with the square of its length; YAML 1.2 (2009,
section 10.2) knows none of them.
"""

from __future__ import annotations

import re

import yaml

PIECE = 256  # characters; libyaml holds the interpreter from one piece to the next


class Loader(yaml.CSafeLoader):
    """Safe, without numbers to the base of sixty, and lets others run while a long text is read."""

    def __init__(self, text: str) -> None:
        super().__init__(_Pieces(text))


class _Pieces:
    """A text as a file that is read in pieces."""

    name = "<text>"

    def __init__(self, text: str) -> None:
        self._text, self._at = text, 0

    def read(self, size: int = -1) -> str:
        piece = self._text[self._at : self._at + PIECE]
        self._at += len(piece)
        return piece


Loader.yaml_implicit_resolvers = {
    first: [
        (
            (tag, re.compile(rf"(?![^:]*:)(?:{pattern.pattern})", pattern.flags))
            if tag in ("tag:yaml.org,2002:int", "tag:yaml.org,2002:float")
            else (tag, pattern)
        )
        for tag, pattern in resolvers
    ]
    for first, resolvers in yaml.CSafeLoader.yaml_implicit_resolvers.items()
}
