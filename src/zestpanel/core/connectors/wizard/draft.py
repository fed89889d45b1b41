"""The connector file in the making."""

from __future__ import annotations

import re
import shlex
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import yaml

from zestpanel.core.errors import InputError
from zestpanel.core.secrets.masking import MASK
from zestpanel.core.texts import tr


@dataclass(frozen=True, slots=True, kw_only=True)
class Draft:
    """What was understood so far. kind: 'http' or 'command'. secret: the key's name; key: its value, never written."""

    kind: str
    engine: str = tr("My engine")
    method: str = "POST"
    address: str = ""
    headers: Mapping[str, str] = field(default_factory=dict)
    query: Mapping[str, str] = field(default_factory=dict)
    body: Any = None
    body_as: str = "json"
    arguments: tuple[str, ...] = ()
    environment: Mapping[str, str] = field(default_factory=dict)
    reply: Mapping[str, Any] = field(default_factory=dict)
    voice: str = ""
    model: str = ""
    language: str = ""
    text: str = ""
    secret: str = ""
    key: str = field(default="", repr=False)
    understood: tuple[str, ...] = ()

    def as_file(self) -> str:
        """The connector file. It holds no key: only the name under which one is kept."""
        speak: dict[str, Any] = {"kind": self.kind}
        if self.kind == "command":
            speak["arguments"] = list(self.arguments)
            speak |= {"environment": dict(self.environment)} if self.environment else {}
        else:
            speak |= {"method": self.method, "address": self.address}
            speak |= {"secret": self.secret} if self.secret else {}
            speak |= {name: dict(part) for name, part in (("headers", self.headers), ("query", self.query)) if part}
            if self.body is not None:
                speak["body"] = self.body
            if self.body_as != "json":
                speak["body_as"] = self.body_as
            if self.reply:
                speak["reply"] = dict(self.reply)
        document: dict[str, Any] = {"zest-connector": 1, "engine": self.engine}
        if self.model:
            document["models"] = [{"id": self.model, "version": "unstated"}]
        voice = self.voice or "default"
        document["voices"] = [{"id": voice, "name": voice, "languages": [self.language or "und"]}]
        document["speak"] = speak
        text: str = yaml.dump(document, Dumper=yaml.CSafeDumper, allow_unicode=True, sort_keys=False, width=110)
        return text.replace(self.key, MASK) if self.key else text


def words_of(text: str) -> list[str]:
    """The words of a command line as a shell would part them; nothing is run. Raises InputError."""
    joined = re.sub(r"[\\^`]\s*\n\s*", " ", text)
    try:
        return shlex.split(joined)
    except ValueError as error:
        raise InputError(
            tr("The line cannot be taken apart ({error}).", error=error),
            remedy=tr("Check that every quotation mark is closed."),
        ) from error
