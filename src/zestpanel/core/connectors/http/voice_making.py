"""Voices that a service makes of recordings before they can speak: sent once, waited for, spoken with by their id,
deleted when they are no longer wanted."""

from __future__ import annotations

import json
import time
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any, Final
from urllib.parse import quote

from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.catalogue.reaching import HttpReply, HttpSpeak, VoiceMaking
from zestpanel.core.connectors.agreed import require_agreement
from zestpanel.core.connectors.http.asking import HttpRequest, Sent, filled, make_client, send
from zestpanel.core.connectors.http.connector import raise_for_failure
from zestpanel.core.connectors.http.finding import at_path
from zestpanel.core.connectors.http.receiving import Received
from zestpanel.core.connectors.http.token import Tokens
from zestpanel.core.errors import Cancelled as WasCancelled
from zestpanel.core.errors import InputError, SynthesisFailure
from zestpanel.core.secrets.keys import find_secret
from zestpanel.core.secrets.masking import without_keys
from zestpanel.core.texts import tr, trn
from zestpanel.core.waiting import Cancelled, never_cancelled

LONGEST_ID: Final = 200


def make_voice(
    engine: Engine, *, name: str, language: str, visibility: str, recordings: Sequence[Path],
    cancelled: Cancelled = never_cancelled, known: Callable[[str], None] = lambda _: None,
) -> str:  # fmt: skip
    """The id of a voice that the service made of the recordings and that is ready to speak.

    visibility: 'private', 'by link' or 'public', of those that the file names. known: told the id as soon as the
    service names it. Raises SynthesisFailure ('taken in' once the service has the recordings), InputError, Cancelled. A
    voice that was begun and not waited for to its end may be there all the same: the sentence says so.
    """
    making = _making(engine)
    if not 1 <= len(recordings) <= making.most_recordings:
        most = (
            tr("at most {most_recordings}", most_recordings=making.most_recordings)
            if making.most_recordings > 1
            else "one"
        )
        raise InputError(
            trn(
                "{engine} takes {most} recording for a voice.",
                "{engine} takes {most} recordings for a voice.",
                making.most_recordings,
                engine=engine.engine,
                most=most,
            ),
            kept=tr("Nothing was sent."),
        )
    values = {
        "name": name, "language": language, "visibility": making.visibility.get(visibility, ""),  # type: ignore[call-overload]
        "references": tuple(str(path) for path in recordings),
    }  # fmt: skip
    with _Talk(engine, making, cancelled) as talk:
        reply = talk.ask(making.address, making.method, values, whole=making)
        made = at_path(_json(reply), making.id.partition(" ")[2])
        if not isinstance(made, str | int) or isinstance(made, bool) or not 0 < len(str(made)) <= LONGEST_ID:
            raise SynthesisFailure(
                "wrong content",
                tr(
                    "The reply names no voice at '{id}'. Look at the service: the voice may have been made.",
                    id=making.id,
                ),
            )
        number = str(made)
        known(number)
        _wait(talk, making, number)
        return number


def wait_for_voice(engine: Engine, number: str, cancelled: Cancelled = never_cancelled) -> None:
    """Until a voice that was asked for before is ready. Raises as ``make_voice``."""
    making = _making(engine)
    with _Talk(engine, making, cancelled) as talk:
        _wait(talk, making, number)


def _wait(talk: _Talk, making: VoiceMaking, number: str) -> None:
    if not making.poll:
        return
    try:
        talk.wait(making, number)
    except SynthesisFailure as failure:
        there = tr("The voice '{number}' may be there all the same: look at the service.", number=number)
        raise failure.in_words(f"{failure.what} {there}") from failure


def delete_voice(engine: Engine, voice: str, cancelled: Cancelled = never_cancelled) -> None:
    """Delete a voice at the service; one that is not there any more is deleted. Raises SynthesisFailure, InputError."""
    making = _making(engine)
    if not making.delete:
        raise InputError(tr("{engine}'s connector file does not say how a voice is deleted.", engine=engine.engine),
                         kept=tr("The voice stays."), remedy=tr("Delete it at the service."))  # fmt: skip
    with _Talk(engine, making, cancelled) as talk:
        talk.ask(_with_id(making.delete, voice), making.delete_method, {}, gone_is_good=True)


def _with_id(address: str, voice: str) -> str:
    """The address with a voice's id, which comes from the service: whatever it holds, it leads to no other place."""
    return address.replace("{id}", quote(voice, safe=""))


def _making(engine: Engine) -> VoiceMaking:
    if engine.makes_voices is None or not isinstance(engine.speak, HttpSpeak):
        raise InputError(
            tr("{engine} makes no voices of recordings.", engine=engine.engine), kept=tr("Nothing was sent.")
        )
    require_agreement(engine)
    return engine.makes_voices


class _Talk:
    """Requests to the service of an engine, with its key and headers."""

    def __init__(self, engine: Engine, making: VoiceMaking, cancelled: Cancelled) -> None:
        assert isinstance(engine.speak, HttpSpeak)
        self._speak, self._making, self._cancelled = engine.speak, making, cancelled
        self._secret = find_secret(engine.speak.secret) if engine.speak.secret else ""
        self._client = make_client(engine.speak, connections=2)
        self._began = time.monotonic()
        self._last: HttpRequest | None = None
        self.sent = Sent()  # whether the recordings were taken in

    def __enter__(self) -> _Talk:
        return self

    def __exit__(self, kind: object, error: object, trace: object) -> None:
        self._client.close()
        if isinstance(error, SynthesisFailure):
            failure = error.taken_in() if self.sent.taken_in else error
            raise failure.in_words(without_keys(error.what)) from None

    def ask(
        self, address: str, method: str, values: dict[str, Any], *, whole: VoiceMaking | None = None,
        gone_is_good: bool = False,
    ) -> Received:  # fmt: skip
        """whole: whose body and files go along."""
        values = {
            **values,
            "token": Tokens(self._speak, raise_for_failure).get(self._client, self._secret, self._cancelled),
        }
        call = self._speak.model_copy(update={
            "address": address, "method": method, "headers": self._making.headers or self._speak.headers,
            "query": {}, "job": None, "stream": False, "reply": HttpReply(),
            "body": whole.body if whole else None, "body_as": whole.body_as if whole else "json",
            "files": whole.files if whole else {},
        })  # fmt: skip
        self._last = filled(call, values, self._secret)
        sent = self.sent if whole else None
        received = send(self._client, call, self._last, self._secret, self._began, self._cancelled, sent)
        if not (gone_is_good and received.status in (404, 410)):
            raise_for_failure(call, received)
        return received

    def wait(self, making: VoiceMaking, number: str) -> None:
        """Until the voice is ready."""
        address, state = _with_id(making.poll, number), ""
        while True:
            answer = self.ask(address, "GET", {})
            state = str(at_path(_json(answer), making.state.partition(" ")[2]))
            if state in making.done:
                return
            if state in making.failed:
                raise SynthesisFailure(
                    "wrong content", tr("The service gave the voice up (its state: {state}).", state=state[:80])
                )
            if time.monotonic() - self._began > self._speak.whole_timeout_s:
                raise SynthesisFailure(
                    "timed out",
                    tr(
                        "The voice was not ready after {whole_timeout_s} s (its state: {state}).",
                        whole_timeout_s=f"{self._speak.whole_timeout_s:g}",
                        state=state[:80],
                    ),
                )
            until = time.monotonic() + making.every_s
            while time.monotonic() < until:
                if self._cancelled():
                    raise WasCancelled
                time.sleep(min(0.05, making.every_s))


def _json(received: Received) -> Any:
    try:
        return json.loads(received.data)
    except (ValueError, RecursionError) as error:
        raise SynthesisFailure("wrong content", tr("The service's answer is not JSON.")) from error
