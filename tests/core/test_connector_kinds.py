"""Every kind of reply a connector file can declare, and hostile ones: over real sockets on the loopback."""

from __future__ import annotations

import base64
import contextlib
import gzip
import json
import socket
import struct
import threading
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any
from urllib.parse import parse_qsl

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import KEY, tone
from tests.small_service import zipped
from zestpanel.core.audio.files import write_wav
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.catalogue.reaching import HttpSpeak
from zestpanel.core.connectors.http.asking import filled
from zestpanel.core.connectors.http.finding import at_path, events, lines
from zestpanel.core.connectors.opening import open_connector
from zestpanel.core.connectors.speaking import Reply, SpeakRequest
from zestpanel.core.connectors.templates import values_of
from zestpanel.core.errors import SynthesisFailure
from zestpanel.standins.service import StandInService

TEXT = "Keep it at three degrees, in the dark."
ASKED = SpeakRequest(text=TEXT, language="en-GB", voice="ilseth", model="m", passage="Cold store", number=3)
BODY = {"text": "{text}", "voice": "{voice}"}


def made(speak: dict[str, Any], **more: Any) -> Engine:
    """An engine with that way of speaking; what is not given is a JSON POST with the key in a header."""
    base: dict[str, Any] = {"kind": "http", "secret": "limonaia", "headers": {"X-Key": "{secret}"}, "body": BODY}
    if speak.get("kind", "http") != "http":
        base = {}
    voices = [{"id": "ilseth", "languages": ["en-GB"]}]
    return Engine.model_validate(
        {"zest-connector": 1, "engine": "E", "voices": voices, "speak": {**base, **speak}, **more}
    )


def ask(speak: dict[str, Any]) -> Reply:
    connector = open_connector(made(speak))
    try:
        return connector.speak(ASKED)
    finally:
        connector.close()


PCM = {"encoding": "pcm_s16le", "rate_hz": 22_050}
USED = {"voice_used": "json voice", "characters_billed": "json characters", "allowance_left": "json left"}
WAYS = [
    ("stream", {"audio": "body", "voice_used": "header X-Voice"}, True),
    ("pcm", {"audio": "body", **PCM, "voice_used": "header X-Voice"}, True),
    ("json", {"audio": "json sound", **USED}, False),
    ("parts", {"audio": "part audio/", **USED}, False),
    ("events", {"audio": "events sound", **PCM, **USED}, True),
    ("lines", {"audio": "lines part.sound", **PCM, **USED, "word_times": "json words"}, True),
    ("link", {"audio": "link file.link", **USED}, False),
]


@pytest.mark.parametrize(("way", "reply", "streamed"), WAYS)
def test_every_way_a_reply_can_come(service: StandInService, way: str, reply: dict[str, Any], streamed: bool) -> None:
    service.behaviour.chunk_s = 0.02
    got = ask({"address": "${ZEST_LIMONAIA_ADDRESS}/tangor/as/" + way, "reply": reply})
    assert got.clip.duration_s == pytest.approx(2.6, abs=0.6)
    assert abs(got.clip.samples).max() > 0.2
    assert got.voice_used == "ilseth"
    t = got.timing
    assert t is not None
    assert t.first_sound_s is not None
    if streamed:  # chunks are 20 ms apart, so that the first sound comes well before the last byte
        assert t.last_byte_s - t.first_sound_s > 0.1
        assert len(t.chunks) >= 8
    if "json characters" in reply.values():
        assert (got.characters_billed, got.allowance_left) == (len(TEXT), service.behaviour.allowance - len(TEXT))
    if way == "lines":
        assert [w for w, _, _ in got.word_times][:2] == ["Keep", "it"]


def test_a_job_is_awaited_and_its_wait_counts(service: StandInService) -> None:
    service.behaviour.job_s = 0.5
    job = {"id": "json job.number", "poll": "${ZEST_LIMONAIA_ADDRESS}/jobs/{job}", "state": "json job.state",
           "done": ["finished"], "every_s": 0.05, "fetch": "${ZEST_LIMONAIA_ADDRESS}/jobs/{job}/sound"}  # fmt: skip
    got = ask({"address": "${ZEST_LIMONAIA_ADDRESS}/tangor/as/job", "job": job, "reply": {"audio": "body"}})
    assert got.timing is not None
    assert 0.5 < got.timing.last_byte_s < 5
    assert got.clip.duration_s > 2
    with pytest.raises(SynthesisFailure, match=r"not (done|whole) after") as caught:
        ask(
            {
                "address": "${ZEST_LIMONAIA_ADDRESS}/tangor/as/job",
                "job": job | {"done": ["never"]},
                "whole_timeout_s": 2,
            }
        )
    assert caught.value.kind == "timed out"


def test_a_conversation_over_a_websocket(service: StandInService) -> None:
    talk = {
        "kind": "websocket",
        "address": service.address.replace("http", "ws") + "/tangor/talk",
        "secret": "limonaia",
        "headers": {"X-Key": "{secret}"},
        "send": [BODY],
        "last": "json done",
        "reply": {"audio": "messages", **PCM, **USED, "word_times": "json words"},
        "failures": [{"kind": "bad voice", "body_has": "no voice"}],
    }
    service.behaviour.chunk_s = 0.02
    got = ask(talk)
    assert got.clip.duration_s > 2
    assert got.timing is not None
    assert got.timing.connected_s is not None
    assert len(got.timing.chunks) >= 8
    assert got.word_times[0][0] == "Keep"
    service.behaviour.other_voice = "nobody"
    with pytest.raises(SynthesisFailure, match="no voice nobody") as caught:
        ask(talk)
    assert caught.value.kind == "bad voice"
    service.behaviour.other_voice = ""
    service.behaviour.faults.append("cut off")
    with pytest.raises(SynthesisFailure):
        ask({**talk, "address": service.address.replace("http", "ws") + "/nowhere"})
    service.behaviour.faults.clear()
    service.behaviour.faults.append("stall")
    service.behaviour.stall_s = 12
    with pytest.raises(SynthesisFailure, match="in the middle") as caught:
        ask({**talk, "read_timeout_s": 3})
    assert caught.value.kind == "timed out"


@pytest.mark.parametrize(
    "auth",
    [
        {"headers": {"Authorization": "Bearer {secret}"}},
        {"headers": {}, "query": {"key": "{secret}"}},
        {"body_as": "form"},
    ],
)
def test_keys_by_header_bearer_and_query_and_bodies_as_forms(service: StandInService, auth: dict[str, Any]) -> None:
    speak = {"address": "${ZEST_LIMONAIA_ADDRESS}/tangor/as/json", "reply": {"audio": "json sound"}, **auth}
    assert ask(speak).clip.duration_s > 2
    assert KEY not in open_connector(made(speak)).describe(ASKED)


def test_rules_of_the_file_say_what_a_failure_means(service: StandInService) -> None:
    rules = [{"kind": "bad voice", "status": 404}, {"kind": "limited", "header": "retry-after"}]
    speak = {"address": "${ZEST_LIMONAIA_ADDRESS}/tangor/speak", "failures": rules}
    service.behaviour.other_voice = "nobody"
    with pytest.raises(SynthesisFailure) as caught:
        ask(speak)
    assert caught.value.kind == "bad voice"


# -- the formats against their standards


def test_server_sent_events_as_the_standard_has_them() -> None:
    # source: WHATWG HTML, 9.2.6 "Interpreting an event stream": comments, several data lines, an unfinished last event
    stream = (
        "\ufeff: a comment\n\ndata: YHOO\ndata: +2\ndata: 10\n\ndata\n\n"
        "data\ndata\n\ndata:  two spaces\r\n\r\ndata: cut"
    ).encode()
    assert [text for _, text in events([(0.0, stream)])] == ["YHOO\n+2\n10", "", "\n", " two spaces"]


@given(st.lists(st.text(st.characters(exclude_characters="\r\n", exclude_categories=("Cs",)), min_size=1), max_size=5),
       st.integers(1, 7))  # fmt: skip
def test_lines_do_not_depend_on_how_the_bytes_were_cut(texts: list[str], step: int) -> None:
    data = "".join(text + "\n" for text in texts).encode()
    cut = [(float(i), data[i : i + step]) for i in range(0, len(data), step)]
    assert [text for _, text in lines(cut)] == texts


def test_paths() -> None:
    tree = {"a": [{"b": 5}, {"c": None}]}
    assert at_path(tree, "a.0.b") == 5
    assert at_path(tree, "a.-1.c") is None
    assert at_path(tree, "a.7.b") is None
    assert at_path(tree, "") is tree


# -- hostile replies: a server that says exactly the given bytes


def read_request(connection: socket.socket) -> bytes:
    """A request's head; its body is read as well, so that closing does not reset the connection."""
    data = b""
    while b"\r\n\r\n" not in data:
        data += connection.recv(65536) or b"\r\n\r\n"
    head, _, body = data.partition(b"\r\n\r\n")
    stated = [line for line in head.lower().split(b"\r\n") if line.startswith(b"content-length:")]
    wanted = int(stated[0].split(b":")[1]) if stated else 0
    while len(body) < wanted and (more := connection.recv(65536)):
        body += more
    return head


@contextlib.contextmanager
def raw_server(answer: Callable[[bytes, socket.socket], None]) -> Iterator[str]:
    """A server on the loopback: ``answer`` gets each request's head and the connection."""
    listener = socket.create_server(("127.0.0.1", 0))

    def serve() -> None:
        while True:
            try:
                connection, _ = listener.accept()
            except OSError:
                return
            with connection:
                head = read_request(connection)
                with contextlib.suppress(OSError):
                    answer(head, connection)

    thread = threading.Thread(target=serve, daemon=True)
    thread.start()
    yield f"http://127.0.0.1:{listener.getsockname()[1]}"
    listener.shutdown(socket.SHUT_RDWR)
    listener.close()
    thread.join()


def saying(body: bytes, *headers: str, status: str = "200 OK") -> Callable[[bytes, socket.socket], None]:
    head = "\r\n".join([f"HTTP/1.1 {status}", "Connection: close", *headers]).encode() + b"\r\n\r\n"
    return lambda _, connection: connection.sendall(head + body)


@pytest.fixture
def key(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("ZEST_SECRET_LIMONAIA", KEY)


def wav(
    body: bytes, *, rate: int = 16_000, bits: int = 16, channels: int = 1, form: int = 1, says: int | None = None
) -> bytes:
    frame = channels * bits // 8
    head = struct.pack("<HHIIHH", form, channels, rate, rate * frame, frame, bits)
    size = len(body) if says is None else says
    return (
        b"RIFF"
        + struct.pack("<I", 36 + size)
        + b"WAVEfmt "
        + struct.pack("<I", 16)
        + head
        + b"data"
        + struct.pack("<I", size)
        + body
    )


BOMB = gzip.compress(bytes(30_000_000))
HOSTILE = [
    (saying(b"", "Content-Length: 0"), "wrong content", "nothing at all"),
    (saying(wav(bytes(9000)), "Content-Length: 99999"), "broken sound", "broke in the middle"),
    (saying(wav(bytes(900), says=5000)), "broken sound", "header promises more"),
    (saying(BOMB, "Content-Encoding: gzip"), "wrong content", "unpacks to more than 2 MB"),
    (saying(wav(b"\1" * 9000, says=900)), "broken sound", "more follows: part of it would not be heard"),
    (saying(wav(bytes(900)) + wav(bytes(900))), "broken sound", "more follows: part of it would not be heard"),
    (saying(b"not packed", "Content-Encoding: gzip"), "broken sound", "cannot be unpacked"),
    (saying(b"x", "Content-Encoding: br"), "wrong content", "packed as 'br'"),
    (saying(b"<html>Sign in", "Content-Type: text/html"), "wrong content", "a web page, not sound"),
    (saying(b"<html><style>p {x: y}</style><p>Sign in &amp; pay"), "wrong content", "It says: Sign in & pay$"),
    (saying(b"quota of the month exceeded"), "wrong content", "It says: quota of the month exceeded$"),
    (saying(b"\0\0\0\5\xffabcd", status="500 X"), "server error", "answered 500: something that is no known sound"),
    (saying("Le quota est dépassé".encode("latin-1")), "wrong content", "It says: Le quota est dépassé$"),
    (saying("\ufeffquota\u200b exceeded".encode()), "wrong content", "It says: quota exceeded$"),
    (saying(b'{"sound": ' + b"[" * 900 + b"]" * 900 + b"}"), "wrong content", "JSON text, not sound"),
    (saying(b'{"error": "later"}'), "wrong content", "JSON text, not sound"),
    (saying(b"RIFF\0\0\0\0WAVEfmt "), "broken sound", "cannot be decoded"),
    (saying(b"", "Location: http://127.0.0.1:1/", status="307 Temporary Redirect"), "taken in", "was not sent there"),
    (saying(b"", "Location: /again", status="303 See Other"), "wrong content", "redirects in a circle"),
    (saying(b"slow down", "Retry-After: Fri, 31 Dec 1999 23:59:59 GMT", status="429 X"), "limited", "slow down"),
]  # fmt: skip


@pytest.mark.parametrize(("answer", "kind", "words"), HOSTILE)
def test_hostile_replies_are_failures_with_a_sentence(
    key: None, answer: Callable[[bytes, socket.socket], None], kind: str, words: str
) -> None:
    with raw_server(answer) as address, pytest.raises(SynthesisFailure, match=words) as caught:
        ask({"address": address + "/", "largest_reply_mb": 2, "read_timeout_s": 5})
    assert caught.value.kind == kind
    assert KEY not in str(caught.value)


@pytest.mark.parametrize("behind", [b"", bytes(7), bytes(40), b"LIST" + struct.pack("<I", 4) + b"INFO"])
def test_notes_behind_the_sound_of_a_file_are_no_fault(key: None, behind: bytes) -> None:
    with raw_server(saying(wav(bytes(9000)) + behind)) as address:
        assert ask({"address": address}).clip.frames == 4500


@pytest.mark.parametrize(("body", "wait_s"), [
    (b'{"error": {"message": "slow down", "retry_after": 20}}', 20.0), (b'{"retryAfterMs": "1500"}', 1.5),
    (b'{"retry_after_ms": 250}', 0.25), (b"Limit reached. Please try again in 2.5s.", 2.5),
    (b"Please retry after 1 minute", 60.0), (b"Please retry after 30 seconds", 30.0), (b"try again in 40ms", 0.04),
    (b"try again later", None), (b'{"retry_after": "1.2.3"}', None), (b'{"retry_after": null}', None),
])  # fmt: skip
def test_a_wait_asked_for_in_words_counts_where_no_header_asks(key: None, body: bytes, wait_s: float | None) -> None:
    """The wordings are common practice, no source."""
    with raw_server(saying(body, status="429 X")) as address, pytest.raises(SynthesisFailure) as caught:
        ask({"address": address + "/"})
    assert caught.value.retry_after_s == wait_s


@pytest.mark.parametrize("speak", [
    {"body": {"text": "{text}", "sample": "{reference_base64}"}}, {"body": {"text": "{text}", "sample": "{reference}"}},
    {"body_as": "multipart", "files": {"sample": "{reference}"}}, {"query": {"like": "{reference_base64}"}},
])  # fmt: skip
def test_an_empty_recording_is_refused_before_anything_is_sent(
    key: None, speak: dict[str, Any], tmp_path: Path
) -> None:
    heads: list[bytes] = []
    (empty := tmp_path / "empty.wav").touch()
    with raw_server(lambda head, _: heads.append(head)) as address:
        connector = open_connector(made({"address": address, **speak}))
        with pytest.raises(SynthesisFailure, match="no recording that could be sent along"):
            connector.speak(ASKED)
        if "{reference}" not in str(speak.get("body", "")):
            with pytest.raises(SynthesisFailure, match="recording is empty"):
                connector.speak(replace(ASKED, reference=str(empty)))
        connector.close()
    assert not heads


def coded(data: bytes) -> str:
    return base64.b64encode(data).decode()


SPOKEN = wav(b"\1\0" * 8000)


@pytest.mark.parametrize(("reply", "body"), [
    ({}, zipped(("clip", SPOKEN), ("notes", b"{}"))),
    ({"audio": "json answer.sound"}, json.dumps({"answer": json.dumps({"sound": coded(SPOKEN)})}).encode()),
    ({"audio": "json parts", "encoding": "pcm_s16le", "rate_hz": 16_000},
     json.dumps({"parts": [[coded(b"\1\0" * 3000), coded(b"\1\0" * 3000)], coded(b"\1\0" * 2000)]}).encode()),
], ids=["in an archive", "JSON within JSON", "lists within a list"])  # fmt: skip
def test_sound_is_found_however_it_is_wrapped(key: None, reply: dict[str, Any], body: bytes) -> None:
    with raw_server(saying(body)) as address:
        got = ask({"address": address, "reply": reply})
    assert got.clip.frames == 8000
    assert reply.get("encoding") or got.data == SPOKEN, "what is kept is the sound, not what it came in"


@pytest.mark.parametrize(("body", "words"), [
    (zipped(("a", SPOKEN), ("b", SPOKEN)), "holds 2 sound files, where one is expected: a, b"),
    (zipped(("notes", b"quota exceeded")), "holds 0 sound files"),
    (zipped(("clip", SPOKEN))[:-30], "cannot be unpacked"),
])  # fmt: skip
def test_an_archive_that_does_not_hold_one_sound_is_told(key: None, body: bytes, words: str) -> None:
    with raw_server(saying(body)) as address, pytest.raises(SynthesisFailure, match=words):
        ask({"address": address})


@pytest.mark.parametrize("body_as", ["form", "plain"])
def test_no_text_breaks_out_of_json_that_stands_in_a_field(key: None, body_as: str) -> None:
    template = '{"say": "{text}", "seed": "{seed}"}'
    body: Any = {"request": template} if body_as == "form" else template
    engine = made({"address": "http://x.example/", "body": body, "body_as": body_as})
    assert isinstance(engine.speak, HttpSpeak)
    text = 'A "quote", a \\ and\n a line"}, {"say": "other'
    content = (filled(engine.speak, values_of(replace(ASKED, text=text)), KEY).content or b"").decode()
    sent = json.loads(dict(parse_qsl(content))["request"] if body_as == "form" else content)
    assert sent == {"say": text, "seed": ASKED.seed}


def test_an_endless_reply_is_dropped_at_the_cap(key: None) -> None:
    def endless(_: bytes, connection: socket.socket) -> None:
        connection.sendall(b"HTTP/1.1 200 OK\r\nConnection: close\r\n\r\n")
        while True:
            connection.sendall(bytes(65536))

    with raw_server(endless) as address, pytest.raises(SynthesisFailure, match="passed 3 MB"):
        ask({"address": address + "/", "largest_reply_mb": 3})


@pytest.mark.parametrize(
    ("bits", "form", "rate", "channels", "one"),
    [(8, 1, 8_000, 1, b"\xc0"), (24, 1, 96_000, 2, b"\0\0\x40"), (32, 3, 192_000, 1, struct.pack("<f", 0.5)),
     (16, 1, 44_100, 2, b"\0\x40")],
)  # fmt: skip
def test_all_depths_rates_and_channels(key: None, bits: int, form: int, rate: int, channels: int, one: bytes) -> None:
    # every sample is one half of full scale (source: the WAVE formats' own definitions)
    body = one * channels * (rate // 10)
    with raw_server(saying(wav(body, bits=bits, form=form, rate=rate, channels=channels))) as address:
        clip = ask({"address": address + "/"}).clip
    assert (clip.rate_hz, clip.channels) == (rate, channels)
    assert clip.samples.mean() == pytest.approx(0.5, abs=0.01)
    assert clip.duration_s == pytest.approx(0.1)


def test_samples_that_are_no_numbers_are_refused(key: None) -> None:
    body = struct.pack("<4f", float("nan"), 0.25, float("inf"), -0.25) * 1000
    with raw_server(saying(wav(body, bits=32, form=3))) as address, \
            pytest.raises(SynthesisFailure, match="values that are not numbers") as caught:  # fmt: skip
        ask({"address": address + "/"})
    assert caught.value.kind == "broken sound"


def test_a_redirect_elsewhere_never_carries_the_key(key: None) -> None:
    seen: list[bytes] = []

    def elsewhere(head: bytes, connection: socket.socket) -> None:
        seen.append(head)
        saying(wav(bytes(4000)))(head, connection)

    with raw_server(elsewhere) as other:
        with raw_server(saying(b"", f"Location: {other}/clip?a=1", status="303 See Other")) as address:
            assert ask({"address": address + "/"}).clip.duration_s > 0
        link = json.dumps({"at": other + "/linked"}).encode()
        with raw_server(saying(link)) as address:
            assert ask({"address": address + "/", "reply": {"audio": "link at"}}).clip.duration_s > 0
        with raw_server(saying(b"", f"Location: {other}/?k={KEY}", status="303 See Other")) as address, \
                pytest.raises(SynthesisFailure, match="not sent there"):  # fmt: skip
            ask({"address": address + "/"})
    assert len(seen) == 2
    assert all(KEY.encode() not in head and b"x-key" not in head.lower() for head in seen)
    assert seen[0].startswith(b"GET /clip?a=1")


def test_a_proxy_is_used(key: None) -> None:
    seen: list[bytes] = []

    def proxy(head: bytes, connection: socket.socket) -> None:
        seen.append(head.split(b"\r\n")[0])
        saying(wav(bytes(4000)))(head, connection)

    with raw_server(proxy) as address:
        assert ask({"address": "http://service.invalid/speak", "proxy": address}).clip.duration_s > 0
    assert seen == [b"POST http://service.invalid/speak HTTP/1.1"]


def test_a_certificate_of_ones_own_is_trusted_only_when_stated(
    service: StandInService, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    import ssl

    import trustme

    authority = trustme.CA()
    ca_file = tmp_path / "ca.pem"
    authority.cert_pem.write_to_path(str(ca_file))
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    authority.issue_cert("localhost").configure_cert(context)

    listener = socket.create_server(("127.0.0.1", 0))

    def serve() -> None:
        for _ in range(2):
            plain, _ = listener.accept()
            try:
                connection = context.wrap_socket(plain, server_side=True)
            except ssl.SSLError:  # the first client does not trust us
                continue
            with connection:
                read_request(connection)
                connection.sendall(b"HTTP/1.1 200 OK\r\nConnection: close\r\n\r\n" + wav(bytes(4000)))
                with contextlib.suppress(ssl.SSLError):
                    connection.unwrap()

    thread = threading.Thread(target=serve, daemon=True)
    thread.start()
    address = f"https://localhost:{listener.getsockname()[1]}/"
    with pytest.raises(SynthesisFailure, match="could not be reached"):
        ask({"address": address})
    assert ask({"address": address, "ca_file": str(ca_file)}).clip.duration_s > 0
    thread.join(5)
    listener.close()


# -- folders and plug-ins


def test_clips_from_a_folder_are_found_by_name_and_carry_no_times(tmp_path: Path) -> None:
    (tmp_path / "Ilseth").mkdir()
    write_wav(tmp_path / "Ilseth" / "03 Cold Store.wav", tone(300, -10, 1.0, 16_000))
    bare = tmp_path / "Ilseth" / "04 No name"
    write_wav(bare, tone(400, -10, 1.0, 16_000))
    speak = {"kind": "folder", "folder": str(tmp_path), "pattern": "{voice}/{number} {passage}"}
    got = ask(speak)
    assert got.timing is None
    assert got.obtained == "rendered elsewhere"
    assert got.file_name == "03 Cold Store.wav"
    assert ask({**speak, "pattern": "ilseth/04*"}).clip.duration_s == pytest.approx(1.0)
    with pytest.raises(SynthesisFailure, match="2 files fit"):
        ask({**speak, "pattern": "ilseth/*"})
    with pytest.raises(SynthesisFailure, match="No file fits"):
        ask({**speak, "pattern": "{voice}/{repeat}"})


def plugin_of_the_docs() -> str:
    """The plug-in that docs/connector-files.md shows, word for word."""
    docs = (Path(__file__).parents[2] / "docs" / "connector-files.md").read_text("utf-8")
    return docs.partition("```python")[2].partition("```")[0]


SIGNER = """
def sign(method, address, headers, body, secret):
    return {"X-Key": secret, "X-Signed": f"{method} {len(body)}"}
"""


@pytest.fixture
def plugged(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A plug-in package as pip would leave it: a module and its entry points."""
    (tmp_path / "beeping.py").write_text(plugin_of_the_docs() + SIGNER)
    info = tmp_path / "beeping-1.0.dist-info"
    info.mkdir()
    (info / "METADATA").write_text("Metadata-Version: 2.1\nName: beeping\nVersion: 1.0\n")
    (info / "entry_points.txt").write_text(
        "[zestpanel.connectors]\nbeeper = beeping:Beeper\nbroken = nothing_there:X\n"
        "[zestpanel.signers]\nours = beeping:sign\n"
    )
    monkeypatch.syspath_prepend(str(tmp_path))


def test_plug_ins_speak_and_sign(plugged: None, service: StandInService) -> None:
    assert len(plugin_of_the_docs().strip().splitlines()) <= 30
    got = ask({"kind": "plugin", "plugin": "beeper", "options": {"hz": 440}})
    assert got.clip.duration_s == pytest.approx(1.0)
    assert got.voice_used == "ilseth"
    with pytest.raises(SynthesisFailure, match="Installed: beeper, broken"):
        ask({"kind": "plugin", "plugin": "missing"})
    with pytest.raises(SynthesisFailure, match="cannot be loaded"):
        ask({"kind": "plugin", "plugin": "broken"})
    with pytest.raises(SynthesisFailure, match="did not start"):
        ask({"kind": "plugin", "plugin": "beeper"})
    signed = {"address": "${ZEST_LIMONAIA_ADDRESS}/tangor/speak", "headers": {}, "sign": "ours"}
    assert ask(signed).clip.duration_s > 2
    shown = open_connector(made(signed)).describe(ASKED)
    assert "X-Signed: POST" in shown
    assert KEY not in shown
