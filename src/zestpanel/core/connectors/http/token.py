"""A call for a token before the calls that it opens: made once, kept until shortly before it ends."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from typing import Any, Final

import httpx

from zestpanel.core.catalogue.reaching import HttpSpeak, Reached, TokenCall
from zestpanel.core.connectors.http.asking import HttpRequest, content_of, key_values, send, with_query
from zestpanel.core.connectors.http.finding import at_path, json_of
from zestpanel.core.connectors.http.receiving import Received
from zestpanel.core.connectors.templates import fill
from zestpanel.core.errors import SynthesisFailure
from zestpanel.core.secrets.environment import expand_environment
from zestpanel.core.secrets.masking import note_key
from zestpanel.core.texts import tr
from zestpanel.core.waiting import Cancelled

_EARLY: Final = 0.9  # of its time a token is used: clocks differ, and requests take a while


class Tokens:
    """The token of one engine, asked for when there is none. Safe to use from many threads."""

    def __init__(self, speak: HttpSpeak, check: Callable[[Reached, Received], None]) -> None:
        self._speak, self._check = speak, check
        self._lock = threading.Lock()
        self._token, self._until = "", 0.0

    def get(self, client: httpx.Client, secret: str, cancelled: Cancelled) -> str:
        """'' where the file names no token call. Raises SynthesisFailure and Cancelled."""
        call = self._speak.token
        if call is None:
            return ""
        with self._lock:
            if not self._token or time.monotonic() >= self._until:
                self._token, lasts_s = self._asked(call, client, secret, cancelled)
                self._until = time.monotonic() + lasts_s * _EARLY
            return self._token

    def forget(self, token: str) -> None:
        """It was not accepted: the next request asks for another, unless one has by now."""
        with self._lock:
            if self._token == token:
                self._token = ""

    def _asked(self, call: TokenCall, client: httpx.Client, secret: str, cancelled: Cancelled) -> tuple[str, float]:
        values: dict[str, Any] = key_values(secret)
        as_speak = HttpSpeak(kind="http", address=call.address, body=call.body, body_as=call.body_as)
        content, kind = content_of(as_speak, values)
        headers = {name: str(fill(expand_environment(value), values)) for name, value in call.headers.items()}
        if kind:
            headers.setdefault("Content-Type", kind)
        query = {name: str(fill(expand_environment(value), values)) for name, value in call.query.items()}
        address = with_query(str(fill(expand_environment(call.address), values)), query)
        asked = HttpRequest(method=call.method, address=address, headers=headers, content=content)
        received = send(client, self._speak, asked, secret, time.monotonic(), cancelled)
        self._check(self._speak, received)
        tree = json_of(received.data)
        token = at_path(tree, call.at.partition(" ")[2])
        if not isinstance(token, str) or not token:
            raise SynthesisFailure("refused", tr("The reply to the call for a token holds none at '{at}'.", at=call.at))
        note_key(token)
        lasts = at_path(tree, call.lasts.partition(" ")[2]) if call.lasts else None
        good = isinstance(lasts, int | float) and 0 < lasts < 10**9
        return token, float(lasts) if good else call.lasts_s  # type: ignore[arg-type]
