"""The 'http' and 'websocket' kinds: one exchange after another, each understood by its connector file."""

from __future__ import annotations

import json
import re
import threading
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from email.message import Message
from email.utils import parsedate_to_datetime
from typing import Any, Final, Protocol

import httpx

from zestpanel.core.audio.clip import Clip
from zestpanel.core.audio.files import decode, decode_raw
from zestpanel.core.audio.kinds import describe_bytes, text_in, wrong_length
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.catalogue.reaching import CONTENT_TYPE, HttpJob, HttpReply, HttpSpeak, Reached
from zestpanel.core.connectors.agreed import choices_of
from zestpanel.core.connectors.arrival import sound_trace
from zestpanel.core.connectors.hosts import places_in
from zestpanel.core.connectors.http.asking import HttpRequest, Sent, content_of, fetch, filled, make_client, send
from zestpanel.core.connectors.http.finding import Chunks, Contents, at_path, whole
from zestpanel.core.connectors.http.receiving import Received
from zestpanel.core.connectors.http.token import Tokens
from zestpanel.core.connectors.packed import out_of_archive
from zestpanel.core.connectors.preflight import secret_of
from zestpanel.core.connectors.speaking import Reply, SpeakRequest
from zestpanel.core.connectors.templates import fill, values_of
from zestpanel.core.connectors.word_times import word_times
from zestpanel.core.domain.take import Timing
from zestpanel.core.errors import AudioError, NotSound, SynthesisFailure
from zestpanel.core.errors import Cancelled as WasCancelled
from zestpanel.core.secrets.environment import expand_environment
from zestpanel.core.secrets.keys import find_secret
from zestpanel.core.secrets.masking import MASK, without_keys
from zestpanel.core.texts import tr
from zestpanel.core.waiting import Cancelled, never_cancelled

LONGEST_NAME: Final = 200  # of what a service calls its voice or model
_READ_OF_FAILURES: Final = 4000
_OF_KEY: Final = re.compile(r"\bkey\b", re.IGNORECASE)  # in a service's own words, whatever its status
_STATUS_KINDS: Final = {
    401: "refused",
    402: "no allowance",
    403: "refused",
    404: "refused",
    408: "timed out",
    413: "bad text",
    429: "limited",
}


class OverNetwork:
    """What both kinds share: the key found and masked in whatever is said, the first request of a model told apart."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine
        self._warm: set[str] = set()
        self._lock = threading.Lock()

    def speak(self, request: SpeakRequest, cancelled: Cancelled = never_cancelled) -> Reply:
        if not self._stays_there(request):
            raise SynthesisFailure(
                "refused",
                tr(
                    "A setting of the request would lead it to a host that was not agreed to. Nothing was sent. Choose "
                    "one of the values that its connector file names."
                ),
            )
        name = secret_of(self._engine)
        secret = find_secret(name) if name else ""
        with self._lock:
            cold = request.model not in self._warm
        try:
            reply = self._once(request, secret, cold, cancelled)
        except SynthesisFailure as failure:
            raise failure.in_words(without_keys(failure.what)) from None
        with self._lock:
            self._warm.add(request.model)
        return replace(
            reply,
            voice_used=without_keys(reply.voice_used, LONGEST_NAME),
            model_used=without_keys(reply.model_used, LONGEST_NAME),
        )

    def _stays_there(self, request: SpeakRequest) -> bool:
        """A setting may fill a name of the host only with a value that the file names, and that was agreed to."""
        address, allowed = str(self._engine.speak.address), choices_of(self._engine)  # type: ignore[union-attr]
        return all(request.settings.get(place) in allowed.get(place, ()) for place in places_in(address))

    def _once(self, request: SpeakRequest, secret: str, cold: bool, cancelled: Cancelled) -> Reply:
        raise NotImplementedError


class HttpConnector(OverNetwork):
    """One engine over HTTP. Connections are kept between requests."""

    def __init__(self, engine: Engine, *, transport: httpx.BaseTransport | None = None) -> None:
        super().__init__(engine)
        assert isinstance(engine.speak, HttpSpeak)
        self._speak = engine.speak
        self._transport = transport
        self._client: httpx.Client | None = None
        self._tokens = Tokens(engine.speak, raise_for_failure)
        self.tell: Callable[[str], None] = lambda _: None  # the states that a job goes through

    def close(self) -> None:
        if self._client is not None:
            self._client.close()

    def _open_client(self) -> httpx.Client:
        with self._lock:
            if self._client is None:
                by_plan = [plan.limits.requests_at_once or 0 for plan in self._engine.plans]
                connections = max(self._engine.limits.requests_at_once, *by_plan, 0) + 2
                self._client = make_client(self._speak, connections=connections, transport=self._transport)
            return self._client

    def describe(self, request: SpeakRequest) -> str:
        text = filled(self._speak, {**values_of(request), "token": MASK}, MASK).as_text()
        if self._speak.token is not None:
            text = tr(
                "a token first: {method} {address}\n\nthen {words}",
                method=self._speak.token.method,
                address=self._speak.token.address,
                words=text,
            )
        if self._speak.job is not None:
            how = "GET" if self._speak.job.body is None else "POST"
            text += tr("\n\nthen, until it is done: {how} {poll}", how=how, poll=self._speak.job.poll)
        return text

    def _once(self, request: SpeakRequest, secret: str, cold: bool, cancelled: Cancelled) -> Reply:
        values = values_of(request)
        again = False
        while True:
            token, sent = self._tokens.get(self._open_client(), secret, cancelled), Sent()
            asked = filled(self._speak, {**values, "token": token}, secret)
            try:
                return self._exchange(asked, secret, cold, cancelled, sent)
            except SynthesisFailure as failure:
                if token and failure.kind == "refused":
                    self._tokens.forget(token)
                # from the moment on that the text was taken in nothing decides that it was not, and nothing is repeated
                if sent.taken_in:
                    raise failure.taken_in() from failure
                if again or not token or failure.kind != "refused" or sent.status not in (401, 403):
                    raise
            again = True  # a token may end before its time: one more is asked for, once

    def _exchange(self, asked: HttpRequest, secret: str, cold: bool, cancelled: Cancelled, sent: Sent) -> Reply:
        client = self._open_client()
        began = time.monotonic()

        def follow(link: str, post: tuple[bytes | None, str] = (None, "")) -> Received:
            return fetch(client, self._speak, asked, link, began, cancelled, secret, post)

        received = send(client, self._speak, asked, secret, began, cancelled, sent)
        first = received
        raise_for_failure(self._speak, received)
        if self._speak.job is not None:
            received = self._await_job(self._speak.job, received, asked, follow, cancelled, began)
        contents = Contents(received, self._speak.reply.audio, follow, coded=self._speak.reply.coded)
        return understood(contents, self._speak.reply, first.marks, first.chunks[0][0] if first.chunks else None,
                          began, cold)  # fmt: skip

    def _await_job(
        self,
        job: HttpJob,
        received: Received,
        asked: HttpRequest,
        follow: Callable[..., Received],
        cancelled: Cancelled,
        began: float,
    ) -> Received:
        """Ask until the job is done. The waiting counts: it is part of what a clip takes."""
        number = _at(received, job.id) if job.id else ""
        if number is None:
            raise SynthesisFailure(
                "wrong content", tr("The reply names no job at '{id}': {short}", id=job.id, short=_short(received.data))
            )
        values, told = {"job": str(number)}, ""
        poll = str((_at(received, job.poll) or "") if job.is_linked else fill(expand_environment(job.poll), values))
        if not poll:
            raise SynthesisFailure("wrong content", tr("The reply names no address at '{poll}'.", poll=job.poll))
        as_speak = HttpSpeak(kind="http", address=self._speak.address, body=job.body)
        post = content_of(as_speak, values)
        while True:
            answer = follow(poll, post)
            raise_for_failure(self._speak, answer)
            state = str(answer.status if job.state == "status" else _at(answer, job.state))
            if state != told:
                told = state
                self.tell(
                    without_keys(
                        tr("job {number} is {state}", number=number, state=state).replace("  ", " "), LONGEST_NAME
                    )
                )
            if state in job.done:
                break
            if state in job.failed:
                raise SynthesisFailure(
                    "wrong content",
                    tr(
                        "The service gave the job up (its state: {state}): {short}",
                        state=state,
                        short=_short(answer.data),
                    ),
                )
            if time.monotonic() - began > self._speak.whole_timeout_s:
                raise SynthesisFailure(
                    "timed out",
                    tr(
                        "The job was not done after {whole_timeout_s} s (its state: {state}).",
                        whole_timeout_s=f"{self._speak.whole_timeout_s:g}",
                        state=state,
                    ),
                )
            until = time.monotonic() + job.every_s
            while time.monotonic() < until:
                if cancelled():
                    raise WasCancelled
                time.sleep(min(0.05, job.every_s))
        if job.fetch:
            answer = follow(str(fill(expand_environment(job.fetch), values)))
            raise_for_failure(self._speak, answer)
        return answer


def _at(received: Received, place: str) -> Any:
    """The value at 'header NAME' or 'json PATH' of a reply that is all JSON."""
    kind, _, path = place.partition(" ")
    if kind == "header":
        return received.headers.get(path.lower())
    try:
        return at_path(json.loads(received.data), path)
    except (ValueError, RecursionError):
        return None


def _short(data: bytes) -> str:
    """What a reply says, or what it is."""
    return without_keys(text_in(data, 1000), 200) or describe_bytes(data)


def retry_after(headers: Mapping[str, str]) -> float | None:
    """Seconds a Retry-After header asks to wait: a number, or a date (RFC 9110, 10.2.3)."""
    value = headers.get("retry-after", "").strip()
    if re.fullmatch(r"[0-9]{1,9}(\.[0-9]{1,9})?", value):
        return float(value)
    try:
        return max(0.0, (parsedate_to_datetime(value) - datetime.now(UTC)).total_seconds())
    except (ValueError, TypeError, OverflowError):
        return None


_WAITS: Final = re.compile(
    r"retry[_ -]?after(?P<ms>[_ -]?ms|[_ -]?milliseconds)?[\"']?\s*[:=]\s*[\"']?(?P<figure>[0-9.]{1,9})"
    r"|(?:again|retry) (?:in|after) (?P<more>[0-9.]{1,9}) ?(?P<unit>ms|s|min)",
    re.IGNORECASE,
)


def retry_after_of(text: str) -> float | None:
    """Seconds that the words of a refusal ask to wait, None where they ask for none (common practice, no source)."""
    found = _WAITS.search(text)
    try:
        value = float(found["figure"] or found["more"]) if found else None
    except ValueError:
        return None
    if found is None or value is None:
        return None
    unit = "ms" if found["ms"] else (found["unit"] or "s").lower()
    return value * {"ms": 0.001, "s": 1.0, "min": 60.0}[unit]


def raise_for_failure(speak: Reached, received: Received) -> None:
    """Raise SynthesisFailure when a rule of the file, or else the status, says that the reply is a failure."""
    data = received.data
    text = data[:_READ_OF_FAILURES].decode("utf-8", errors="replace")
    wait_s = retry_after(received.headers)
    if wait_s is None and received.status in (429, 503):
        wait_s = retry_after_of(text)
    detail = _short(data)
    of_key = received.status in (401, 403) or _OF_KEY.search(detail) is not None
    for rule in speak.failures:
        if (
            (rule.status is None or rule.status == received.status)
            and (not rule.header or rule.header.lower() in received.headers)
            and rule.body_has in text
        ):
            raise SynthesisFailure(
                rule.kind,
                tr("The service answered {status}: {detail}", status=received.status, detail=detail),
                retry_after_s=wait_s,
                of_key=of_key,
            )
    if received.status >= 300:
        kind = _STATUS_KINDS.get(received.status, "refused" if received.status < 500 else "server error")
        if received.status == 503 and wait_s is not None:
            kind = "limited"  # it says that it did nothing, and when it will (RFC 9110, 15.6.4 and 10.2.3)
        raise SynthesisFailure(
            kind,
            tr("The service answered {status}: {detail}", status=received.status, detail=detail),
            retry_after_s=wait_s,
            of_key=of_key,
        )


class Found(Protocol):
    """A reply taken apart: see Contents."""

    last_byte_s: float
    streamed: bool

    @property
    def content_type(self) -> str: ...

    @property
    def sound(self) -> Chunks: ...

    def value(self, place: str) -> Any: ...

    def gathered(self, place: str) -> list[Any]: ...


def understood(
    contents: Found,
    where: HttpReply,
    marks: Mapping[str, float],
    first_byte_s: float | None,
    began: float,
    cold: bool,
) -> Reply:
    """A reply from what was found in it. Raises SynthesisFailure when its sound cannot be decoded."""
    came = b"".join(part for _, part in contents.sound)
    form = Form.of(where, contents)
    sound = out_of_archive(came) if form.encoding == "file" else came
    clip = _decoded(sound, form)
    decoded = time.monotonic() - began
    last = contents.last_byte_s
    raw = None if form.encoding == "file" else len(sound) / clip.duration_s
    first_sound, trace = (
        sound_trace(contents.sound, clip, raw_bytes_per_s=raw)
        if contents.streamed and sound is came
        else (
            last,
            ((last, 0.0),),
        )
    )
    said = contents.value(where.word_times)
    times = word_times(contents.gathered(where.word_times), clip.duration_s) or word_times(said, clip.duration_s)
    return Reply(
        data=sound,
        clip=clip,
        timing=Timing(
            connected_s=marks.get("connected"),
            sent_s=marks.get("sent"),
            first_byte_s=first_byte_s,
            first_sound_s=first_sound,
            last_byte_s=last,
            decoded_s=decoded,
            cold=cold,
            chunks=trace,
        ),
        voice_used=str(contents.value(where.voice_used) or ""),
        model_used=str(contents.value(where.model_used) or ""),
        characters_billed=whole(contents.value(where.characters_billed)),
        allowance_left=whole(contents.value(where.allowance_left)),
        word_times=times,
        word_times_unread=bool(said) and not times,
    )


@dataclass(frozen=True, slots=True)
class Form:
    """How the sound is packed: as the file states it, or as the reply does."""

    encoding: str
    rate_hz: int
    channels: int

    @classmethod
    def of(cls, where: HttpReply, contents: Found) -> Form:
        """Raises SynthesisFailure where the reply does not say what the file has it say."""
        kind = contents.content_type if CONTENT_TYPE in (where.encoding, where.rate_hz) else ""
        encoding, rate, channels = by_content_type(kind) if kind else ("file", None, None)
        if where.encoding != CONTENT_TYPE:
            encoding = where.encoding
        if isinstance(where.rate_hz, int):
            rate = where.rate_hz
        elif where.rate_hz not in (None, CONTENT_TYPE):
            rate = whole(contents.value(str(where.rate_hz)))
        if encoding != "file" and not (rate and 4_000 <= rate <= 384_000):
            raise SynthesisFailure(
                "broken sound",
                tr("The reply does not say how many samples a second there are ({kind}).", kind=kind or where.rate_hz),
            )
        return cls(encoding, rate or 0, channels or where.channels)


# what raw samples are called in content types: L16 and L24 are big-endian (RFC 3551, 4.5.11; RFC 3190), basic is mu-law
# at 8,000 Hz (RFC 2046, 4.3); the others are common practice, no source
_CONTENT_TYPES: Final = {
    "audio/l16": "pcm_s16be", "audio/basic": "mulaw", "audio/pcm": "pcm_s16le", "audio/x-pcm": "pcm_s16le",
    "audio/raw": "pcm_s16le", "audio/x-raw": "pcm_s16le", "audio/pcmu": "mulaw", "audio/x-mulaw": "mulaw",
    "audio/mulaw": "mulaw", "audio/pcma": "alaw", "audio/x-alaw": "alaw",
}  # fmt: skip


def by_content_type(text: str) -> tuple[str, int | None, int | None]:
    """(encoding, rate, channels) that a content type states, None where it does not; 'file' for a packed kind."""
    message = Message()
    message["content-type"] = text
    encoding = _CONTENT_TYPES.get(message.get_content_type(), "file")
    rate = whole(message.get_param("rate") or message.get_param("samplerate") or message.get_param("sample-rate"))
    if message.get_content_type() in ("audio/basic", "audio/pcmu", "audio/pcma") and rate is None:
        rate = 8_000
    return encoding, rate, whole(message.get_param("channels"))


def _decoded(sound: bytes, form: Form) -> Clip:
    try:
        if form.encoding != "file":
            return decode_raw(sound, form.encoding, rate_hz=form.rate_hz, channels=form.channels)
        if wrong := wrong_length(sound):
            raise SynthesisFailure("broken sound", wrong)
        return decode(sound)
    except AudioError as error:
        quoted = tr(" It says: {short}", short=_short(sound)) if text_in(sound, 1) else ""
        kind = "wrong content" if isinstance(error, NotSound) else "broken sound"
        raise SynthesisFailure(kind, error.what + quoted) from error
