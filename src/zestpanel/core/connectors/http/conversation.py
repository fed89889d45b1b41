"""The 'websocket' kind: messages out, then messages in until the last one, each with its arrival."""

from __future__ import annotations

import contextlib
import json
import ssl
import time
from typing import Any, Final

from websockets.exceptions import ConnectionClosed, InvalidHandshake, InvalidStatus, WebSocketException
from websockets.sync.client import ClientConnection, reconnect

from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.catalogue.reaching import WebSocketSpeak
from zestpanel.core.connectors.hosts import stays_at
from zestpanel.core.connectors.http.asking import key_values, with_query
from zestpanel.core.connectors.http.connector import OverNetwork, raise_for_failure, understood
from zestpanel.core.connectors.http.finding import (
    MOST_PIECES,
    Chunks,
    at_path,
    gathered,
    own_words,
    too_many_pieces,
    uncoded,
)
from zestpanel.core.connectors.http.receiving import Received
from zestpanel.core.connectors.speaking import Reply, SpeakRequest
from zestpanel.core.connectors.templates import fill, values_of
from zestpanel.core.errors import Cancelled as WasCancelled
from zestpanel.core.errors import SynthesisFailure
from zestpanel.core.secrets.environment import expand_environment
from zestpanel.core.secrets.masking import MASK, without_keys
from zestpanel.core.texts import tr
from zestpanel.core.waiting import Cancelled, watched

_LOOK_S: Final = 0.1  # how often a wait looks whether it was cancelled


class Heard:
    """What came over the line, as the rest of a connector wants it: sound chunks and JSON messages."""

    streamed = True

    def __init__(self, path: str, coded: str = "base64") -> None:
        self._path, self._coded = path, coded
        self._sound: list[tuple[float, bytes]] = []
        self._messages = 0
        self.trees: list[Any] = []
        self.last_byte_s = 0.0

    def take(self, at: float, message: str | bytes) -> Any:
        """Note a message; returns its JSON, None for sound."""
        self.last_byte_s = at
        self._messages += 1
        if self._messages > MOST_PIECES:
            raise too_many_pieces()
        if isinstance(message, bytes):
            if not self._path:
                self._sound.append((at, message))
            return None
        try:
            tree = json.loads(message)
        except (ValueError, RecursionError):
            return None
        self.trees.append(tree)
        found = at_path(tree, self._path) if self._path else None
        if isinstance(found, str) and found:
            self._sound.append((at, uncoded(found, self._path, self._coded)))
        return tree

    @property
    def sound(self) -> Chunks:
        return tuple(self._sound)

    content_type = ""

    @property
    def any_sound(self) -> bool:
        return bool(self._sound)

    def value(self, place: str) -> Any:
        kind, _, path = place.partition(" ")
        if kind != "json":
            return None
        return next((v for tree in reversed(self.trees) if (v := at_path(tree, path)) is not None), None)

    def gathered(self, place: str) -> list[Any]:
        return gathered(self.trees, place)


class _OnceOnly(reconnect):
    """A handshake that redirects would take key and text to wherever the other side says: none is followed."""

    def process_redirect(self, exc: Exception) -> Exception | str:
        return exc


class WebSocketConnector(OverNetwork):
    """One engine over a WebSocket; a connection of its own for each text, as the wait for it counts."""

    def __init__(self, engine: Engine) -> None:
        super().__init__(engine)
        assert isinstance(engine.speak, WebSocketSpeak)
        self._speak = engine.speak

    def close(self) -> None:
        pass

    def _filled(self, request: SpeakRequest, secret: str) -> tuple[str, dict[str, str], list[str]]:
        values = {**values_of(request), **key_values(secret)}
        query = {name: str(fill(expand_environment(value), values)) for name, value in self._speak.query.items()}
        address = with_query(str(fill(expand_environment(self._speak.address), values)), query)
        if not stays_at(address, self._speak.address):
            raise SynthesisFailure(
                "refused",
                tr(
                    "A setting of the request would lead it to another host than its connector file names. Nothing was "
                    "sent."
                ),
            )
        address = "ws" + address.removeprefix("http") if address.startswith("http") else address
        headers = {name: str(fill(expand_environment(v), values)) for name, v in self._speak.headers.items()}
        messages = [fill(message, values) for message in self._speak.send]
        return address, headers, [m if isinstance(m, str) else json.dumps(m, ensure_ascii=False) for m in messages]

    def describe(self, request: SpeakRequest) -> str:
        address, headers, messages = self._filled(request, MASK)
        lines = [tr("WebSocket {address}", address=address), *(f"{name}: {value}" for name, value in headers.items())]
        return "\n".join(
            [*lines, *(tr("\nmessage {n}: {words}", n=n, words=text) for n, text in enumerate(messages, 1))]
        )

    def _once(self, request: SpeakRequest, secret: str, cold: bool, cancelled: Cancelled) -> Reply:
        marks: dict[str, float] = {}
        try:
            return self._talk(*self._filled(request, secret), cold, cancelled, marks)
        except SynthesisFailure as failure:
            if "sending" not in marks or failure.kind not in ("limited", "unreachable"):
                raise
            raise failure.taken_in() from failure  # its messages went out and may have been read: not sent again

    def _open(self, address: str, headers: dict[str, str]) -> ClientConnection:
        """The connection, to be closed by the caller. Raises SynthesisFailure."""
        context = None
        if address.startswith("wss") and self._speak.ca_file:
            context = ssl.create_default_context(cafile=expand_environment(self._speak.ca_file))
        try:
            return _OnceOnly(
                address,
                additional_headers=headers,
                ssl=context,
                open_timeout=self._speak.connect_timeout_s,
                close_timeout=1,
                max_size=int(self._speak.largest_reply_mb * 1e6),
                compression=None,
                proxy=expand_environment(self._speak.proxy) or None,
            ).connect()
        except InvalidStatus as error:
            answer = error.response
            raise_for_failure(self._speak, Received(
                status=answer.status_code, headers={k.lower(): v for k, v in answer.headers.raw_items()},
                chunks=((0.0, bytes(answer.body or b"")),), marks={}, last_byte_s=0.0))  # fmt: skip
            raise SynthesisFailure(
                "wrong content", tr("The service answered {status_code}.", status_code=answer.status_code)
            ) from error
        except TimeoutError as error:
            raise SynthesisFailure(
                "unreachable",
                tr(
                    "No connection within {connect_timeout_s} s.",
                    connect_timeout_s=f"{self._speak.connect_timeout_s:g}",
                ),
            ) from error
        except (OSError, InvalidHandshake, WebSocketException, ValueError) as error:
            raise SynthesisFailure(
                "unreachable", tr("The service could not be reached ({error}).", error=error)
            ) from error

    def _talk(
        self, address: str, headers: dict[str, str], messages: list[str], cold: bool, cancelled: Cancelled,
        marks: dict[str, float],
    ) -> Reply:  # fmt: skip
        began = time.monotonic()
        heard = Heard(self._speak.reply.audio.partition(" ")[2], self._speak.reply.coded)
        with contextlib.ExitStack() as stack:
            connection = stack.enter_context(
                watched(
                    lambda: self._open(address, headers),
                    cancelled,
                    began + self._speak.connect_timeout_s + _LOOK_S,
                    tr(
                        "No connection within {connect_timeout_s} s.",
                        connect_timeout_s=f"{self._speak.connect_timeout_s:g}",
                    ),
                    lambda: None,
                )
            )
            marks["connected"] = time.monotonic() - began
            try:
                marks["sending"] = time.monotonic() - began
                for message in messages:
                    connection.send(message)
                marks["sent"] = time.monotonic() - began
                self._listen(connection, heard, marks, began, cancelled)
            except ConnectionClosed as error:
                if not heard.any_sound or error.rcvd is None or error.rcvd.code not in (1000, 1001):
                    self._refused(heard)
                    kind = "broken sound" if heard.any_sound else "broke off"
                    raise SynthesisFailure(
                        kind, tr("The connection closed before the sound was whole ({error}).", error=error)
                    ) from error
        self._refused(heard)
        if not heard.any_sound:
            raise SynthesisFailure(
                "wrong content", tr("The service sent no sound{own_words}.", own_words=own_words(heard.trees))
            )
        return understood(heard, self._speak.reply, marks, marks.get("first byte"), began, cold)

    def _listen(
        self, connection: ClientConnection, heard: Heard, marks: dict[str, float], began: float, cancelled: Cancelled
    ) -> None:
        size, most = 0, self._speak.largest_reply_mb * 1e6
        quiet_since = time.monotonic()
        while True:
            try:
                message = connection.recv(timeout=_LOOK_S)
            except TimeoutError:
                if cancelled():
                    raise WasCancelled from None
                if time.monotonic() - quiet_since > self._speak.read_timeout_s:
                    where = tr("in the middle of the reply") if heard.any_sound else tr("before the reply began")
                    raise SynthesisFailure(
                        "timed out",
                        tr(
                            "Nothing came for {read_timeout_s} s {where}.",
                            read_timeout_s=f"{self._speak.read_timeout_s:g}",
                            where=where,
                        ),
                    ) from None
                continue
            at = time.monotonic() - began
            quiet_since = time.monotonic()
            marks.setdefault("first byte", at)
            size += len(message)
            if size > most or at > self._speak.whole_timeout_s:
                raise SynthesisFailure(
                    "wrong content", tr("The reply was larger or longer than allowed and was dropped.")
                )
            tree = heard.take(at, message)
            if tree is not None and self._speak.last and at_path(tree, self._speak.last.partition(" ")[2]):
                return
            if cancelled():
                raise WasCancelled

    def _refused(self, heard: Heard) -> None:
        """A message that a rule of the file calls a failure."""
        for tree in heard.trees:
            text = json.dumps(tree, ensure_ascii=False)
            for rule in self._speak.failures:
                if rule.status is None and rule.body_has and rule.body_has in text:
                    raise SynthesisFailure(
                        rule.kind, tr("The service answered: {without_keys}", without_keys=without_keys(text, 200))
                    )
