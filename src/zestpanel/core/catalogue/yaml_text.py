"""YAML from anybody, as this program reads it: by libyaml, without numbers to the base of sixty, and no file that its
references blow up.

YAML 1.1 reads 59:59:59 as one number, which takes a time that grows with the square of its length; YAML 1.2 (2009,
section 10.2) knows none of them.
"""

from __future__ import annotations

import re
from typing import Any

import yaml

from zestpanel.core.texts import tr

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


class OddPart(ValueError):
    """A file that is YAML and makes no sense: where, and why."""

    def __init__(self, line: int, what: str) -> None:
        super().__init__(what)
        self.line, self.what = line, what


def read_plainly(text: str, *, twice: bool = False) -> tuple[yaml.Node | None, Any]:
    """(the parts with their lines, what they say). twice: a name may stand twice in one part. Raises OddPart,
    yaml.YAMLError, ValueError, RecursionError."""
    loader = Loader(text)
    node = loader.get_single_node()
    if odd := _odd(node, twice=twice):
        raise OddPart(*odd)
    return node, loader.construct_document(node) if node is not None else None


_MOST_NODES = 300_000
_DEEPEST = 60


def _odd(node: yaml.Node | None, *, twice: bool) -> tuple[int, str] | None:
    """(line, what) of a name that stands twice in one part, of parts that hold themselves, and of a file that its
    references blow up; None for none."""
    if node is None:
        return None
    count = 0
    waiting: list[tuple[yaml.Node, tuple[int, ...]]] = [(node, ())]
    while waiting:
        one, above = waiting.pop()
        count += 1
        line = one.start_mark.line + 1
        if id(one) in above:
            return line, tr("a part holds itself")
        if count > _MOST_NODES:
            return line, tr(
                "the file has more than {most_nodes} parts, references counted out", most_nodes=f"{_MOST_NODES:,}"
            )
        if len(above) > _DEEPEST:
            return line, tr("parts stand deeper in one another than {deepest} levels", deepest=_DEEPEST)
        below = (*above, id(one))
        if isinstance(one, yaml.SequenceNode):
            waiting += [(part, below) for part in one.value]
        elif isinstance(one, yaml.MappingNode):
            names = set()
            for key, value in one.value:
                if not twice and isinstance(key, yaml.ScalarNode) and key.value in names:
                    return key.start_mark.line + 1, tr("'{value}' is there twice", value=key.value[:60])
                if isinstance(key, yaml.ScalarNode):
                    names.add(key.value)
                waiting.append((value, below))
    return None
