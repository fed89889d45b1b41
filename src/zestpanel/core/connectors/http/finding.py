"""Where things sit in a reply: the sound with its arrival times, and what the reply says about itself."""

from __future__ import annotations

import base64
import binascii
import json
import math
from collections.abc import Callable, Iterable, Mapping
from email.parser import BytesParser
from email.policy import HTTP
from typing import Any, Final

from zestpanel.core.audio.kinds import describe_bytes
from zestpanel.core.connectors.http.receiving import Received
from zestpanel.core.connectors.masking import without_keys
from zestpanel.core.errors import SynthesisFailure

Chunks = tuple[tuple[float, bytes], ...]
_LONGEST_LINE: Final = 50_000_000


def at_path(tree: Any, path: str) -> Any:
    """The value at 'a.b.0' in a JSON tree, None when it is not there; '' is the tree itself."""
    for key in path.split(".") if path else ():
        if isinstance(tree, dict):
            tree = tree.get(key)
        elif isinstance(tree, list) and key.lstrip("-").isdigit() and -len(tree) <= int(key) < len(tree):
            tree = tree[int(key)]
        else:
            return None
    return tree


class Contents:
    """A reply taken apart: its sound as chunks, and values at places. Link fetching is handed in."""

    def __init__(self, received: Received, audio: str, follow: Callable[[str], Received] | None = None) -> None:
        self._received = received
        self._kind, _, self._path = audio.partition(" ")
        self._trees: list[Any] = []
        self.streamed = self._kind in ("body", "link", "events", "lines", "messages")
        self.last_byte_s = received.last_byte_s
        if self._kind == "body":
            self.sound: Chunks = received.chunks
        elif self._kind in ("events", "lines"):
            pieces = events(received.chunks) if self._kind == "events" else lines(received.chunks)
            self.sound = tuple(self._collect(pieces))
        elif self._kind == "part":
            self.sound = ((received.last_byte_s, self._part()),)
        else:
            self._trees = [self._json(received.data)]
            found = at_path(self._trees[0], self._path)
            if self._kind == "json":
                self.sound = ((received.last_byte_s, self._from_base64(found)),)
            else:
                if not isinstance(found, str) or not found or follow is None:
                    raise SynthesisFailure("wrong content", f"There is no link at '{self._path}' in the reply.")
                fetched = follow(found)
                self.sound, self.last_byte_s = fetched.chunks, fetched.last_byte_s
                if fetched.status >= 300:
                    raise SynthesisFailure("wrong content", f"The link in the reply answered {fetched.status}.")

    def value(self, place: str) -> Any:
        """The value at 'header NAME' or 'json PATH', None when it is not there; the last JSON that has it counts."""
        kind, _, path = place.partition(" ")
        if kind == "header":
            return self._received.headers.get(path.lower())
        if kind != "json":
            return None
        if not self._trees and self._kind in ("body", "part"):
            return None
        for tree in reversed(self._trees):
            if (found := at_path(tree, path)) is not None:
                return found
        return None

    def _json(self, data: bytes) -> Any:
        try:
            return json.loads(data)
        except (ValueError, RecursionError) as error:
            what = describe_bytes(data)
            said = "JSON that is damaged or too deep" if what == "JSON text" else f"{what}, not JSON"
            raise SynthesisFailure("wrong content", f"The reply is {said}.") from error

    def _from_base64(self, found: Any) -> bytes:
        if not isinstance(found, str) or not found:
            raise SynthesisFailure("wrong content", f"There is no sound at '{self._path}' in the reply.")
        return from_base64(found, self._path)

    def _collect(self, pieces: Iterable[tuple[float, str]]) -> Iterable[tuple[float, bytes]]:
        """Sound out of events or lines: base64 at the path of each one's JSON, or the data itself."""
        any_text = False
        for at, text in pieces:
            any_text = True
            if not self._path:
                if text.strip() in ("", "[DONE]"):
                    continue
                yield at, from_base64(text, "data")
                continue
            try:
                tree = json.loads(text)
            except (ValueError, RecursionError):
                continue  # end marks and comments carry no sound
            self._trees.append(tree)
            found = at_path(tree, self._path)
            if isinstance(found, str) and found:
                yield at, from_base64(found, self._path)
        if not any_text and self._received.chunks:
            described = describe_bytes(self._received.data)
            raise SynthesisFailure("wrong content", f"The reply is {described}, not a stream of {self._kind}.")

    def _part(self) -> bytes:
        """A part of a multipart reply (RFC 2046), by content type or by name; its JSON part holds the values."""
        kind = self._received.headers.get("content-type", "")
        if not kind.lower().startswith("multipart/"):
            described = describe_bytes(self._received.data)
            raise SynthesisFailure("wrong content", f"The reply is {described}, not a reply in several parts.")
        message = BytesParser(policy=HTTP).parsebytes(b"Content-Type: " + kind.encode() + b"\r\n\r\n"
                                                      + self._received.data)  # fmt: skip
        sound = b""
        for part in message.iter_parts():
            payload = part.get_payload(decode=True)
            data = payload if isinstance(payload, bytes) else b""
            name = part.get_param("name", header="content-disposition")
            if not sound and (part.get_content_type().startswith(self._path) or name == self._path):
                sound = data
            elif part.get_content_type() == "application/json":
                self._trees.append(self._json(data))
        if not sound:
            raise SynthesisFailure("wrong content", f"The reply has no part '{self._path}'.")
        return sound


def from_base64(text: str, place: str) -> bytes:
    """Bytes of base64 text, with or without a data: prefix. Raises SynthesisFailure."""
    if text.startswith("data:"):
        text = text.partition(",")[2]
    try:
        return base64.b64decode(text, validate=True)
    except (ValueError, binascii.Error) as error:
        raise SynthesisFailure("wrong content", f"There is no sound at '{place}' in the reply.") from error


MOST_PIECES: Final = 300_000  # an hour of sound in pieces of 12 ms


def too_many_pieces() -> SynthesisFailure:
    return SynthesisFailure("wrong content", f"The reply came in more than {MOST_PIECES:,} pieces and was dropped.")


def lines(chunks: Iterable[tuple[float, bytes]]) -> Iterable[tuple[float, str]]:
    """Lines with the arrival of their last byte; LF and CRLF end a line."""
    held: list[bytes] = []
    size = count = 0
    at = 0.0
    for at, part in chunks:
        first, *others = part.split(b"\n")
        held.append(first)
        size += len(first)
        if size > _LONGEST_LINE:
            raise SynthesisFailure("wrong content", "The reply has a line without an end and was dropped.")
        for other in others:
            yield at, b"".join(held).decode("utf-8", errors="replace").rstrip("\r")
            held, size = [other], len(other)
            count += 1
            if count > MOST_PIECES:
                raise too_many_pieces()
    if size:
        yield at, b"".join(held).decode("utf-8", errors="replace").rstrip("\r")


def events(chunks: Iterable[tuple[float, bytes]]) -> Iterable[tuple[float, str]]:
    """The data of server-sent events, with their arrival (WHATWG HTML, 9.2.6: fields, comments, several data lines).

    An event that the stream breaks off in is dropped, as the standard says.
    """
    data: list[str] = []
    first = True
    for at, line in lines(chunks):
        text = line.removeprefix("\ufeff") if first else line
        first = False
        if not text:
            if data:
                yield at, "\n".join(data)
            data = []
            continue
        name, _, value = text.partition(":")
        if name == "data":
            data.append(value.removeprefix(" "))


MOST_COUNTED: Final = 10**12  # characters: more than any service bills at once, and a number that a database keeps


def whole(value: Any) -> int | None:
    """A count in a reply; None for what is none: no number, below 0, or beyond reason."""
    try:
        count = int(value)
    except (TypeError, ValueError, OverflowError):
        return None
    return count if 0 <= count <= MOST_COUNTED else None


def word_times(value: Any) -> tuple[tuple[str, float, float], ...]:
    """[[word, start_s, end_s], ...] or [{'word','start','end'}, ...]; anything else is no word times."""
    out = []
    for item in value if isinstance(value, list) else []:
        try:
            parts = (item["word"], item["start"], item["end"]) if isinstance(item, Mapping) else tuple(item)
            word, start, end = parts
            times = float(start), float(end)
            if not all(map(math.isfinite, times)):
                return ()
            out.append((without_keys(str(word), 200), *times))
        except (TypeError, ValueError, KeyError, OverflowError):
            return ()
    return tuple(out)
