"""How an engine is made to speak, as its connector file declares it: one model for each kind."""

from __future__ import annotations

import re
from typing import Annotated, Any, Final, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from zestpanel.core.catalogue.places import HOLDS_KEY
from zestpanel.core.errors import FAILURE_KINDS
from zestpanel.core.texts import tr


class Stated(BaseModel):
    """A part of a connector file: unknown fields are refused, so that a misspelt one is found."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class FailureRule(Stated):
    """A reply that means failure: by HTTP status, by a header it has, or by text found in the body."""

    kind: str
    status: int | None = None
    header: str = ""
    body_has: str = ""

    @model_validator(mode="after")
    def _says_something(self) -> FailureRule:
        if self.kind not in FAILURE_KINDS:
            raise ValueError(tr("kind is one of {failure_kinds}", failure_kinds=", ".join(FAILURE_KINDS)))
        if self.status is None and not self.body_has and not self.header:
            raise ValueError(tr("a rule needs a status, a header or body_has"))
        return self


# names under which services expect a key (common practice, no source)
KEY_NAMES: Final = re.compile(r"(authori[sz]ation|api.?key|x-.*key|.*-key|key|token|.*secret)", re.IGNORECASE)
PLACES: Final = ("header", "json", "link", "part", "events", "lines", "messages")
CONTENT_TYPE: Final = "content type"
Encoding = Literal["file", "pcm_s16le", "pcm_s16be", "pcm_s24le", "pcm_f32le", "mulaw", "alaw"]


def _check_place(name: str, place: str, allowed: tuple[str, ...]) -> None:
    kind, _, rest = place.partition(" ")
    if place and kind not in allowed:
        raise ValueError(
            tr("{name} is one of: {allowed}, followed by a name or path", name=name, allowed=", ".join(allowed))
        )
    if kind in ("header", "json", "link", "part") and not rest:
        raise ValueError(tr("{name}: '{kind}' needs a name or path after it", name=name, kind=kind))


Rate = Annotated[int, Field(ge=4000, le=384_000)]


class HttpReply(Stated):
    """Where things sit in the reply.

    audio: 'body' · 'json PATH' (base64) · 'link PATH' (JSON holds an address to fetch) · 'part TYPE' (multipart, by
    content type or name) · 'events PATH' (server-sent events, base64 at PATH of each one's JSON, no PATH: the data
    itself) · 'lines PATH' (newline-delimited JSON) · 'messages [PATH]' (WebSocket: binary messages, or base64).
    The others: 'header NAME' or 'json PATH'; with events, lines and messages the last one that holds the path counts.
    """

    audio: str = "body"
    coded: Literal["base64", "hex"] = Field(default="base64", description=tr("how sound stands in JSON"))
    encoding: Encoding | Literal["content type"] = "file"
    rate_hz: Rate | str | None = Field(
        default=None, description=tr("of raw samples: a number, 'content type', 'header NAME' or 'json PATH'")
    )
    channels: int = Field(default=1, ge=1, le=8)
    voice_used: str = ""
    model_used: str = ""
    characters_billed: str = ""
    allowance_left: str = ""
    word_times: str = ""

    @model_validator(mode="after")
    def _consistent(self) -> HttpReply:
        if self.encoding not in ("file", CONTENT_TYPE) and self.rate_hz is None:
            raise ValueError(tr("raw samples need a rate_hz"))
        if isinstance(self.rate_hz, str) and self.rate_hz != CONTENT_TYPE:
            _check_place("rate_hz", self.rate_hz, ("header", "json"))
        _check_place("audio", self.audio, ("body", *PLACES[1:]))
        for name in ("voice_used", "model_used", "characters_billed", "allowance_left", "word_times"):
            _check_place(name, getattr(self, name), ("header", "json"))
        return self


class HttpJob(Stated):
    """A service that answers with a job: it is asked again until the job is done, then the sound is fetched."""

    id: str = Field(default="", description=tr("where the job's number sits in the first reply: 'json PATH' or "
                                            "'header NAME'"))  # fmt: skip
    poll: str = Field(
        min_length=1,
        description=tr(
            "address to ask, with {job} in it; or where the first reply names it: 'header Location' or 'json PATH'"
        ),
    )
    body: dict[str, Any] | str | None = Field(
        default=None, description=tr("where the state is asked by POST: what is sent, with {job} in it")
    )
    state: str = Field(description=tr("'json PATH', 'header NAME', or 'status': the HTTP status of the answer"))
    done: tuple[str, ...] = ("done",)
    failed: tuple[str, ...] = ("failed",)
    every_s: float = Field(default=1.0, gt=0, le=60)
    fetch: str = Field(default="", description=tr("address of the sound, with {job}; empty: in the last reply"))

    @model_validator(mode="after")
    def _numbered(self) -> HttpJob:
        if not self.id and "{job}" in f"{self.poll} {self.fetch} {self.body}":
            raise ValueError(tr("{job} needs an 'id': where the job's number sits in the first reply"))
        return self

    @property
    def is_linked(self) -> bool:
        """Whether the first reply names the address to ask."""
        return self.poll.startswith(("header ", "json "))


class TokenCall(Stated):
    """A call made first, whose reply holds the {token} of the others; made again when its time is nearly over."""

    address: str = Field(min_length=1)
    method: Literal["POST", "GET", "PUT"] = "POST"
    headers: dict[str, str] = Field(default_factory=dict)
    query: dict[str, str] = Field(default_factory=dict)
    body: dict[str, Any] | str | None = None
    body_as: Literal["json", "form", "plain"] = "json"
    at: str = Field(default="json access_token", description=tr("where the token sits in the reply: 'json PATH'"))
    lasts: str = Field(default="", description=tr("where the reply says how many seconds it lasts: 'json PATH'"))
    lasts_s: float = Field(default=600, gt=0, description=tr("how long it lasts where the reply does not say"))


class Reached(Stated):
    """What the kinds that go over the network share."""

    secret: str = ""
    headers: dict[str, str] = Field(default_factory=dict)
    query: dict[str, str] = Field(default_factory=dict)
    sign: str = Field(default="", description=tr("plug-in that signs the request"))
    proxy: str = ""
    ca_file: str = ""
    reply: HttpReply = HttpReply()
    failures: tuple[FailureRule, ...] = ()
    connect_timeout_s: float = Field(default=10, gt=0)
    read_timeout_s: float = Field(default=60, gt=0)
    whole_timeout_s: float = Field(default=600, gt=0)
    largest_reply_mb: float = Field(default=200, gt=0)

    @model_validator(mode="after")
    def _holds_no_key(self) -> Reached:
        for part, named in (("headers", self.headers), ("query", self.query)):
            for name, value in named.items():
                if KEY_NAMES.fullmatch(name) and not HOLDS_KEY.search(value) and "${" not in value and value.strip():
                    raise ValueError(
                        tr(
                            "{part}.{name} looks like a key; write {{secret}} in its place and name it with 'secret:'",
                            part=part,
                            name=name,
                        )
                    )
        return self


class HttpSpeak(Reached):
    kind: Literal["http"]
    method: Literal["POST", "GET", "PUT"] = "POST"
    address: str = Field(min_length=1)
    body: dict[str, Any] | list[Any] | str | None = None
    body_as: Literal["json", "form", "plain", "multipart"] = "json"
    files: dict[str, str] = Field(default_factory=dict, description=tr("multipart only: field to the path of a file"))
    stream: bool = False
    token: TokenCall | None = None
    job: HttpJob | None = None

    @model_validator(mode="after")
    def _body_fits(self) -> HttpSpeak:
        if self.body_as in ("form", "multipart") and not isinstance(self.body, dict | None):
            raise ValueError(tr("a {body_as} body is a list of names and values", body_as=self.body_as))
        if self.files and self.body_as != "multipart":
            raise ValueError(tr("files need body_as: multipart"))
        if self.reply.audio.startswith("messages"):
            raise ValueError(tr("messages come over a WebSocket: use kind: websocket"))
        return self


class WebSocketSpeak(Reached):
    """A conversation: messages are sent in order, then messages are read until one says that it is the last."""

    kind: Literal["websocket"]
    address: str = Field(pattern=r"^(wss?://|\$\{)")
    send: tuple[dict[str, Any] | str, ...] = Field(min_length=1)
    last: str = Field(
        default="", description=tr("'json PATH' that is true or filled in the last message; '': it closes")
    )
    reply: HttpReply = HttpReply(audio="messages")

    @model_validator(mode="after")
    def _audio_in_messages(self) -> WebSocketSpeak:
        if not self.reply.audio.startswith("messages"):
            raise ValueError(tr("reply.audio is 'messages' or 'messages PATH'"))
        _check_place("last", self.last, ("json",))
        return self


class CommandSpeak(Stated):
    """A program. Without a resident protocol: text by {text} in the arguments, in the file {text_file} or on standard
    input; sound as a file at {output} or on standard output. With ``resident: true`` it stays and answers JSON lines.
    """

    kind: Literal["command"]
    arguments: tuple[str, ...] = Field(min_length=1)
    resident: bool = False
    encoding: Encoding = Field(default="file", description=tr("of the sound it writes: a file, or raw samples"))
    rate_hz: Rate | None = None
    channels: int = Field(default=1, ge=1, le=8)
    environment: dict[str, str] = Field(default_factory=dict)
    directory: str = ""
    timeout_s: float = Field(default=120, gt=0)

    @model_validator(mode="after")
    def _rate_of_samples(self) -> CommandSpeak:
        if self.encoding != "file" and self.rate_hz is None:
            raise ValueError(tr("raw samples need a rate_hz"))
        return self


class FolderSpeak(Stated):
    """Clips rendered elsewhere. pattern: a path under the folder with places; * stands for anything."""

    kind: Literal["folder"]
    folder: str = Field(min_length=1)
    pattern: str = "{voice}/{number}*"
    obtained: str = "rendered elsewhere"


class PluginSpeak(Stated):
    """A Python plug-in, found by its entry point (group zestpanel.connectors)."""

    kind: Literal["plugin"]
    plugin: str = Field(min_length=1)
    secret: str = ""
    options: dict[str, Any] = Field(default_factory=dict)


class HeardOf(Stated):
    """An engine that is known by name: it cannot be asked for anything, and has no voices until it can."""

    kind: Literal["heard of"]


Speak = Annotated[
    HttpSpeak | WebSocketSpeak | CommandSpeak | FolderSpeak | PluginSpeak | HeardOf, Field(discriminator="kind")
]
KINDS: Final = ("http", "websocket", "command", "folder", "plugin", "heard of")


class VoiceMaking(Stated):
    """A service that makes a voice of recordings first and gives its id: it is asked once for each voice, and the voice
    then speaks by its id like any other. Filled are {name}, {language}, {visibility}, {reference} in ``files`` (sent
    once for each recording), and {id} in ``poll`` and ``delete``."""

    address: str = Field(min_length=1)
    method: Literal["POST", "PUT"] = "POST"
    headers: dict[str, str] = Field(default_factory=dict, description=tr("empty: those of 'speak'"))
    body: dict[str, Any] | None = None
    body_as: Literal["json", "form", "multipart"] = "multipart"
    files: dict[str, str] = Field(default_factory=dict, description=tr("multipart only: field to '{reference}'"))
    id: str = Field(default="json id", description=tr("where the new voice's id sits in the reply: 'json PATH'"))
    poll: str = Field(
        default="", description=tr("address that says how far the voice is, with {id}; empty: it is ready")
    )
    state: str = Field(default="json state", description=tr("'json PATH' in what ``poll`` answers"))
    done: tuple[str, ...] = ("ready",)
    failed: tuple[str, ...] = ("failed",)
    every_s: float = Field(default=2.0, gt=0, le=60)
    delete: str = Field(default="", description=tr("address that deletes the voice, with {id}; empty: it cannot be"))
    delete_method: Literal["DELETE", "POST"] = "DELETE"
    slots: int | None = Field(default=None, ge=1, description=tr("how many voices of one's own it keeps"))
    most_recordings: int = Field(default=1, ge=1, le=50, description=tr("of one voice"))
    visibility: dict[Literal["private", "by link", "public"], str] = Field(
        default_factory=dict, description=tr("who may use a voice made here, to the service's word for it")
    )

    @model_validator(mode="after")
    def _sends_recordings(self) -> VoiceMaking:
        _check_place("id", self.id, ("json",))
        _check_place("state", self.state, ("json",))
        if self.files and self.body_as != "multipart":
            raise ValueError(tr("files need body_as: multipart"))
        if set(self.files.values()) - {"{reference}"}:
            raise ValueError(tr("files hold {reference}: no other file of this machine goes out"))
        if "{id}" not in self.delete and self.delete:
            raise ValueError(tr("'delete' names the voice by {id}"))
        return self


class VoiceList(Stated):
    """A list of voices that the service gives: where it is fetched, and what of each entry means what."""

    address: str = Field(min_length=1)
    headers: dict[str, str] = Field(default_factory=dict)
    list: str = "json "
    each: dict[str, str] = Field(description=tr("field of ours to the path in an entry, 'id' at least"))
    values: dict[str, dict[str, str]] = Field(default_factory=dict, description=tr("field to {their word: ours}"))
    otherwise: dict[str, str] = Field(default_factory=dict, description=tr("field to what an entry without it has"))
    next: str = Field(default="", description=tr("'json PATH' of the next page's address or token, or 'link header'"))
    next_query: str = Field(default="", description=tr("query parameter that takes the token of the next page"))
    page_query: str = Field(default="", description=tr("query parameter that counts pages, until one holds no voice"))
    first_page: int = 1

    @model_validator(mode="after")
    def _fields_known(self) -> VoiceList:
        if "id" not in self.each:
            raise ValueError(tr("each needs at least 'id'"))
        if odd := set(self.each) - VOICE_FIELDS:
            raise ValueError(
                tr(
                    "a voice has no field '{odd}'; it has {voice_fields}",
                    odd=sorted(odd)[0],
                    voice_fields=", ".join(sorted(VOICE_FIELDS)),
                )
            )
        return self


VOICE_FIELDS: Final = {"id", "name", "languages", "gender", "age", "tier", "styles", "character", "models", "grade"}
