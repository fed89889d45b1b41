"""Where things sit in a reply: the sound with its arrival times, and what the reply says about itself."""

from __future__ import annotations

import base64
import binascii
import contextlib
import json
import re
import struct
from collections.abc import Callable, Iterable, Iterator
from email.message import Message
from email.parser import BytesParser
from email.policy import compat32
from typing import Any, Final

from zestpanel.core.audio.kinds import describe_bytes, kind_of_text, wav_data_bytes
from zestpanel.core.connectors.http.receiving import Received
from zestpanel.core.errors import SynthesisFailure
from zestpanel.core.secrets.masking import without_keys
from zestpanel.core.texts import tr

Chunks = tuple[tuple[float, bytes], ...]
_LONGEST_LINE: Final = 50_000_000


def at_path(tree: Any, path: str) -> Any:
    """The value at 'a.b.0' in a JSON tree, None when it is not there; '' is the tree itself. '*' stands for all items
    of a list: 'parts.*.sound' is a list of what is found. A text that is JSON itself is looked into."""
    keys = path.split(".") if path else []
    for number, key in enumerate(keys):
        if key == "*" and isinstance(tree, list):
            rest = ".".join(keys[number + 1 :])
            return [found for item in tree[:MOST_PIECES] if (found := at_path(item, rest)) is not None]
        if isinstance(tree, str) and tree.lstrip()[:1] in ("{", "["):
            with contextlib.suppress(ValueError, RecursionError):
                tree = json.loads(tree)
        if isinstance(tree, dict):
            tree = tree.get(key)
        elif isinstance(tree, list) and key.lstrip("-").isdigit() and -len(tree) <= int(key) < len(tree):
            tree = tree[int(key)]
        else:
            return None
    return tree


class Contents:
    """A reply taken apart: its sound as chunks, and values at places. Link fetching is handed in."""

    def __init__(
        self, received: Received, audio: str, follow: Callable[[str], Received] | None = None, *, coded: str = "base64"
    ) -> None:
        self._received, self._coded = received, coded
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
            self._trees = [json_of(received.data)]
            found = at_path(self._trees[0], self._path)
            if self._kind == "json":
                self.sound = ((received.last_byte_s, self._uncoded(found)),)
            else:
                if not isinstance(found, str) or not found or follow is None:
                    raise SynthesisFailure(
                        "wrong content",
                        tr(
                            "There is no link at '{path}' in the reply{own_words}.",
                            path=self._path,
                            own_words=own_words(self._trees),
                        ),
                    )
                fetched = follow(found)
                self.sound, self.last_byte_s = fetched.chunks, fetched.last_byte_s
                if fetched.status >= 300:
                    raise SynthesisFailure(
                        "wrong content", tr("The link in the reply answered {status}.", status=fetched.status)
                    )

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

    def gathered(self, place: str) -> list[Any]:
        return gathered(self._trees, place)

    @property
    def content_type(self) -> str:
        """As the reply states it, '' where it does not."""
        return self._received.headers.get("content-type", "")

    def _uncoded(self, found: Any) -> bytes:
        """Sound at a place in JSON: one text, or several in a list, which follow one another."""
        texts = [*_flat(found)]
        if not texts or not all(isinstance(text, str) and text for text in texts):
            raise SynthesisFailure(
                "wrong content",
                tr(
                    "There is no sound at '{path}' in the reply{own_words}.",
                    path=self._path,
                    own_words=own_words(self._trees),
                ),
            )
        return one_after_another([uncoded(text, self._path, self._coded) for text in texts])

    def _collect(self, pieces: Iterable[tuple[float, str]]) -> Iterable[tuple[float, bytes]]:
        """Sound out of events or lines: base64 at the path of each one's JSON, or the data itself."""
        any_text = any_sound = False
        for at, text in pieces:
            any_text = True
            if not self._path:
                if text.strip() in ("", "[DONE]"):
                    continue
                if text.lstrip().startswith("{"):  # an event of words among those of sound
                    with contextlib.suppress(ValueError, RecursionError):
                        self._trees.append(json.loads(text))
                        continue
                yield at, uncoded(text, "data", self._coded)
                continue
            try:
                tree = json.loads(text)
            except (ValueError, RecursionError):
                continue  # end marks and comments carry no sound
            self._trees.append(tree)
            found = at_path(tree, self._path)
            if isinstance(found, str) and found:
                any_sound = True
                yield at, uncoded(found, self._path, self._coded)
        if not any_text and self._received.chunks:
            described = describe_bytes(self._received.data)
            raise SynthesisFailure(
                "wrong content",
                tr("The reply is {described}, not a stream of {kind}.", described=described, kind=self._kind),
            )
        if self._path and not any_sound and self._trees:
            raise SynthesisFailure(
                "wrong content",
                tr(
                    "No {kind} of the stream holds sound{own_words}.",
                    kind=self._kind[:-1],
                    own_words=own_words(self._trees),
                ),
            )

    def _part(self) -> bytes:
        """A part of a multipart reply (RFC 2046), by content type or by name; its JSON part holds the values."""
        kind = self._received.headers.get("content-type", "")
        if not kind.lower().startswith("multipart/"):
            described = describe_bytes(self._received.data)
            raise SynthesisFailure(
                "wrong content", tr("The reply is {described}, not a reply in several parts.", described=described)
            )
        try:
            sound = self._among_parts(kind)
        except (RecursionError, ValueError, LookupError) as error:  # the heads of parts are a language of their own
            raise SynthesisFailure("wrong content", tr("The parts of the reply cannot be told apart.")) from error
        if not sound:
            raise SynthesisFailure("wrong content", tr("The reply has no part '{path}'.", path=self._path))
        return sound

    def _among_parts(self, kind: str) -> bytes:
        # the plain policy: the newer one takes every head apart as a language of its own, in a time that grows with
        # the square of its length
        message = BytesParser(policy=compat32).parsebytes(b"Content-Type: " + kind.encode() + b"\r\n\r\n"
                                                          + self._received.data)  # fmt: skip
        sound = b""
        parts = [part for part in message.get_payload() if isinstance(part, Message)] if message.is_multipart() else []
        for part in parts:
            payload = part.get_payload(decode=True)
            data = payload if isinstance(payload, bytes) else b""
            name = part.get_param("name", header="content-disposition")
            if not sound and (part.get_content_type().startswith(self._path) or name == self._path):
                sound = data
            elif part.get_content_type() == "application/json":
                self._trees.append(json_of(data))
        return sound


def _flat(found: Any) -> Iterator[Any]:
    """The items of lists within lists, in their order, however deep."""
    waiting = [found]
    while waiting:
        if isinstance(one := waiting.pop(), list):
            waiting += reversed(one)
        else:
            yield one


def json_of(data: bytes) -> Any:
    """Raises SynthesisFailure for what is none."""
    try:
        return json.loads(data)
    except (ValueError, RecursionError) as error:
        said = (
            tr("JSON that is damaged or too deep")
            if kind_of_text(data) == "JSON"
            else tr("{what}, not JSON", what=describe_bytes(data))
        )
        raise SynthesisFailure("wrong content", tr("The reply is {said}.", said=said)) from error


# where services put what they have to say about a failure (common practice, no source)
_WORDS: Final = (
    "error",
    "errors",
    "message",
    "detail",
    "details",
    "description",
    "error_description",
    "reason",
    "title",
)


def own_words(trees: Iterable[Any]) -> str:
    """': ' and what the service itself says went wrong, '' where it says nothing."""
    for tree in reversed(list(trees)):
        if said := _said(tree, 3):
            return f": {without_keys(' '.join(said.split()), 200)}"
    return ""


def _said(tree: Any, deep: int) -> str:
    if isinstance(tree, str):
        return tree
    if isinstance(tree, list) and tree and deep:
        return _said(tree[0], deep - 1)
    if isinstance(tree, dict) and deep:
        return next((words for key in _WORDS if key in tree and (words := _said(tree[key], deep - 1))), "")
    return ""


_SPACE: Final = re.compile(r"\s+")


def uncoded(text: str, place: str, coded: str = "base64") -> bytes:
    """Bytes of base64 text (RFC 4648: either alphabet, in lines, with or without the padding or a data: prefix), or of
    hexadecimal text. Raises SynthesisFailure."""
    text = _SPACE.sub("", text.partition(",")[2] if text.startswith("data:") else text)
    try:
        if coded == "hex":
            return bytes.fromhex(text)
        text = text.translate({ord("-"): "+", ord("_"): "/"}).rstrip("=")
        return base64.b64decode(text + "=" * (-len(text) % 4), validate=True)
    except (ValueError, binascii.Error) as error:
        raise SynthesisFailure(
            "wrong content", tr("What is at '{place}' in the reply is no {coded}.", place=place, coded=coded)
        ) from error


def one_after_another(pieces: list[bytes]) -> bytes:
    """Pieces of one stream as they are; several whole WAV files as one, if their samples are alike."""
    if len(pieces) == 1 or not all(is_whole_wav(piece) for piece in pieces):
        return b"".join(pieces)
    begins = [wav_data_bytes(piece) for piece in pieces]
    heads = {piece[: begin[0]][12:36] for piece, begin in zip(pieces, begins, strict=True) if begin}
    if len(heads) != 1:
        raise SynthesisFailure("broken sound", tr("The pieces of the reply are WAV files of different kinds."))
    samples = b"".join(piece[b[0] : b[0] + b[1]] for piece, b in zip(pieces, begins, strict=True) if b)
    head = pieces[0][: begins[0][0] - 8] if begins[0] else b""
    size = len(head) - 8 + 8 + len(samples)
    return head[:4] + struct.pack("<I", size) + head[8:] + b"data" + struct.pack("<I", len(samples)) + samples


def is_whole_wav(data: bytes) -> bool:
    found = wav_data_bytes(data)
    return found is not None and found[0] + found[1] <= len(data)


MOST_PIECES: Final = 300_000  # an hour of sound in pieces of 12 ms


def too_many_pieces() -> SynthesisFailure:
    return SynthesisFailure(
        "wrong content",
        tr("The reply came in more than {most_pieces} pieces and was dropped.", most_pieces=f"{MOST_PIECES:,}"),
    )


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
            raise SynthesisFailure("wrong content", tr("The reply has a line without an end and was dropped."))
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


def gathered(trees: Iterable[Any], place: str) -> list[Any]:
    """The lists at 'json PATH' in every JSON of a reply, one after another; the last alone where it repeats the one
    before it, as replies do that tell all so far. A value counts as a list of one.
    """
    kind, _, path = place.partition(" ")
    found = [at_path(tree, path) for tree in trees] if kind == "json" else []
    lists = [one if isinstance(one, list) else [one] for one in found if one is not None]
    if len(lists) > 1 and lists[-1][: len(lists[-2])] == lists[-2]:
        return lists[-1]
    return [item for one in lists for item in one]


def whole(value: Any) -> int | None:
    """A count in a reply; None for what is none: no number, below 0, or beyond reason."""
    try:
        count = int(value)
    except (TypeError, ValueError, OverflowError):
        return None
    return count if 0 <= count <= MOST_COUNTED else None
