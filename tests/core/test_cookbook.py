"""Every connector file of the cookbook speaks, and so do the conventions around it: small servers and programs that
answer as hosted services and local programs do."""

from __future__ import annotations

import base64
import io
import json
import os
import re
import stat
import subprocess
import sys
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import av
import numpy as np
import pytest
import soundfile

from tests.small_service import Answer, Heard, SmallService, as_json, samples, wav, zipped
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.connectors.opening import open_connector
from zestpanel.core.connectors.speaking import Reply, SpeakRequest
from zestpanel.core.connectors.voice_list import fetch_voices
from zestpanel.core.errors import ConnectorError, SynthesisFailure

PAGE = Path(__file__).parents[2] / "docs" / "cookbook.md"
FILES = dict(re.findall(r"^### (.+?)\n.*?^```yaml\n(.*?)^```", PAGE.read_text("utf-8"), re.MULTILINE | re.DOTALL))
KEY = "a:key-of-orchards"
TEXT = 'Keep it at 3 °C <now> & "dark".'
REQUEST = SpeakRequest(text=TEXT, language="en-GB", voice="hesk", model="default")
SOUND = wav(0.4)
CODED = base64.b64encode(SOUND).decode()


@pytest.fixture(autouse=True)
def key(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("ZEST_SECRET_EXAMPLE", KEY)


def spoken(engine: Engine, text: str = TEXT) -> Reply:
    connector = open_connector(engine)
    try:
        return connector.speak(replace(REQUEST, text=text))
    finally:
        connector.close()


def events(*trees: object) -> bytes:
    return b"".join(f"data: {json.dumps(tree)}\n\n".encode() for tree in trees)


def in_lines(*trees: object) -> bytes:
    return b"".join(json.dumps(tree).encode() + b"\n" for tree in trees)


RAW = samples(0.4)
PARTS = (b"--zz\r\nContent-Type: application/json\r\n\r\n{\"billed\": 7}\r\n--zz\r\nContent-Type: audio/wav\r\n\r\n"
         + SOUND + b"\r\n--zz--\r\n")  # fmt: skip
THIRDS = [RAW[:4000], RAW[4000:8000], RAW[8000:]]


def is_told(heard: Heard) -> bool:
    """The service refuses a request in which the text, or the voice, is not what was asked for."""
    body = heard.body.decode("utf-8")
    if "xml" in heard.headers.get("content-type", ""):
        return "&lt;now&gt; &amp;" in body and 'name="hesk"' in body
    if "urlencoded" in heard.headers.get("content-type", ""):
        from urllib.parse import parse_qs

        fields = parse_qs(body)
        return (fields["text"], fields["voice"]) == ([TEXT], ["hesk"])
    if not body:
        return (heard.query["q"], heard.query["v"]) == (TEXT, "hesk")
    return (heard.json["text"], heard.json["voice"]) == (TEXT, "hesk")


class Service:
    """Answers of the cookbook's services, by the name of the recipe."""

    def __init__(self) -> None:
        self.asked = 0

    def __call__(self, name: str, heard: Heard) -> Answer:  # noqa: C901 one case a recipe
        if heard.path == "/token":
            good = f"client_secret={KEY.replace(':', '%3A')}".encode() in heard.body
            return as_json({"access_token": "t-1-once", "expires_in": 3600} if good else {"error": "no"}, 200)
        if heard.path.startswith("/jobs/"):
            return self._job(name, heard)
        if heard.path == "/file":
            return Answer(SOUND, headers={"Content-Type": "audio/wav"})
        if not is_told(heard):
            return Answer(b"not what was asked for", 400)
        match name:
            case "A file in the body, a key in a header":
                return Answer(SOUND) if heard.headers["x-key"] == KEY else Answer(b"", 401)
            case "Basic authentication":
                good = heard.headers["authorization"] == "Basic " + base64.b64encode(KEY.encode()).decode()
                return Answer(SOUND) if good else Answer(b"", 401)
            case "A token first, a fresh number for each request":
                good = heard.headers["authorization"] == "Bearer t-1-once" and len(heard.headers["x-request"]) == 32
                return Answer(SOUND) if good else Answer(b"", 401)
            case "Raw samples, as the content type says":
                swapped = np.frombuffer(RAW, "<i2").byteswap().tobytes()
                return Answer(swapped, headers={"Content-Type": "audio/L16;rate=16000;channels=1"})
            case "Raw samples, the rate in a header":
                return Answer(RAW, headers={"X-Sample-Rate": "16000"})
            case "Base64 in JSON, with what was billed":
                return as_json({"result": {"audio": CODED, "voice": "hesk"}, "usage": {"characters": 31}})
            case "Hexadecimal in JSON":
                return as_json({"data": {"audio": SOUND.hex()}})
            case "Several pieces in one JSON":
                return as_json({"parts": [{"sound": base64.b64encode(wav(0.1)).decode()} for _ in range(4)]})
            case "A link to the sound":
                return as_json({"output": {"url": "/file"}})
            case "A reply in several parts":
                return Answer(PARTS, headers={"Content-Type": "multipart/mixed; boundary=zz"})
            case "Events, samples in base64":
                trees = [{"audio": base64.b64encode(part).decode(), "rate": 16000} for part in THIRDS]
                return Answer(b": hello\n\n" + events(*trees, {"done": True}),
                              headers={"Content-Type": "text/event-stream"})  # fmt: skip
            case "Lines of JSON, samples in hexadecimal":
                return Answer(in_lines(*({"chunk": part.hex()} for part in THIRDS), {"end": True}))
            case "A job with a number" | "A job whose state is asked by POST" | "A zip archive, made as a job":
                return as_json({"id": 17, "state": "queued"}, 202)
            case "202 with a Location, until it answers 200":
                return Answer(b"", 202, {"Location": "/jobs/17"})
        return Answer(SOUND)

    def _job(self, name: str, heard: Heard) -> Answer:
        self.asked += 1
        if heard.path.endswith("/sound"):
            return Answer(zipped(("clip.wav", SOUND), ("words.json", b"{}")) if "zip" in name else SOUND)
        if "POST" in name:
            if heard.json != {"job": "17"}:
                return Answer(b"not what was asked for", 400)
            return as_json({"state": "ready", "result": {"audio": CODED}} if self.asked > 2 else {"state": "running"})
        if name.startswith("202"):
            return Answer(SOUND) if self.asked > 2 else Answer(b"", 202)
        return as_json({"state": "ready" if self.asked > 2 else "running"})


SPEAKING = [name for name, text in FILES.items() if "kind: http" in text and "voices_from" not in text]
PROGRAMS = [name for name, text in FILES.items() if "kind: command" in text]
LISTS = [name for name, text in FILES.items() if "voices_from" in text]


@pytest.mark.parametrize("name", SPEAKING)
def test_every_service_of_the_cookbook_speaks(name: str) -> None:
    answer = Service()
    with SmallService(lambda heard: answer(name, heard)) as service:
        engine = parse_connector(FILES[name].replace("https://speech.example", service.address), name="cookbook")
        reply = spoken(engine, TEXT)
        assert reply.clip.duration_s == pytest.approx(0.4, abs=0.002)
        assert reply.clip.rate_hz == 16_000
        numbers = [h.headers["x-request"] for h in service.heard if "x-request" in h.headers]
        if "token" in FILES[name]:
            connector = open_connector(engine)
            connector.speak(REQUEST)
            connector.speak(REQUEST)
            connector.close()
            numbers = [h.headers["x-request"] for h in service.heard if "x-request" in h.headers]
            assert len(set(numbers)) == 3, "a fresh one each time"
            assert [h.path for h in service.heard].count("/token") == 2, "one for each connector, not for each text"
        if "characters_billed" in FILES[name]:
            assert reply.characters_billed in (31, 7)
        describing = open_connector(engine)
        shown = describing.describe(REQUEST)
        describing.close()
        assert KEY not in shown
        assert base64.b64encode(KEY.encode()).decode() not in shown


VOICES: dict[str, Callable[[Heard, str], Answer]] = {
    "A map of voices": lambda heard, _: as_json(
        {"voices": {"hesk": {"label": "Hesk", "locale": "en_GB"}, "odrine": {"label": "Odrine", "locale": "fr-FR"}}}
    ),
    "Bare words, with a language for all": lambda heard, _: as_json(["hesk", "odrine"]),
    "Pages by token": lambda heard, _: as_json(
        {"voices": [{"id": "odrine", "locales": ["fr-FR"]}]} if heard.query.get("page_token") == "p 2&x"
        else {"voices": [{"id": "hesk", "locales": ["en-GB"]}], "next_page": "p 2&x"}
    ),
    "Pages by number": lambda heard, _: as_json(
        {"voices": {"1": [{"id": "hesk"}], "2": [{"id": "odrine"}]}.get(heard.query["page"], [])}
    ),
    "Pages by link header": lambda heard, address: (
        as_json({"voices": [{"id": "odrine"}]}) if heard.query
        else Answer(b'{"voices": [{"id": "hesk"}]}', 200,
                    {"Link": f'<{address}/voices>; rel="first", <{address}/voices?after=1>; rel="next"'})
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", LISTS)
def test_every_list_of_voices_of_the_cookbook_is_read(name: str) -> None:
    with SmallService(lambda heard: VOICES[name](heard, service.address)) as service:
        engine = parse_connector(FILES[name].replace("https://speech.example", service.address), name="cookbook")
        assert [voice.id for voice in fetch_voices(engine)] == ["hesk", "odrine"]


PROGRAM = f"""#!{sys.executable}
import sys, pathlib
sys.path.insert(0, {str(Path(__file__).parents[2])!r})
from tests.small_service import samples, wav
given, words = sys.argv[1:], sys.argv[1:]
after = given[given.index("--") + 1] if "--" in given else ""
text = after or (pathlib.Path(given[given.index("--text-file") + 1]).read_text() if "--text-file" in given
                 else sys.stdin.read())
assert text == {TEXT!r}, text
if "--voice" in given:
    assert given[given.index("--voice") + 1] == "hesk"
if "--out" in given:
    pathlib.Path(given[given.index("--out") + 1]).write_bytes(wav(0.4))
elif "--into" in given:
    folder = pathlib.Path(given[given.index("--into") + 1])
    (folder / "clip_000017.wav").write_bytes(wav(0.4))
    (folder / "notes.txt").write_text("made")
elif "--raw" in given:
    sys.stdout.buffer.write(samples(0.4))
else:
    sys.stdout.buffer.write(wav(0.4))
"""


@pytest.mark.parametrize("name", PROGRAMS)
def test_every_program_of_the_cookbook_speaks(name: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    program = tmp_path / "speak-program"
    program.write_text(PROGRAM)
    program.chmod(program.stat().st_mode | stat.S_IXUSR)
    monkeypatch.setenv("PATH", f"{tmp_path}{os.pathsep}{os.environ['PATH']}")
    monkeypatch.chdir(tmp_path)
    reply = spoken(parse_connector(FILES[name], name="cookbook"))
    assert (reply.clip.duration_s, reply.clip.rate_hz) == (pytest.approx(0.4), 16_000)
    assert sorted(p.name for p in tmp_path.iterdir()) == ["speak-program"], "nothing is left where it was started"


def test_the_page_and_the_tests_hold_the_same_recipes() -> None:
    assert len(FILES) == len(SPEAKING) + len(LISTS) + len(PROGRAMS) >= 28
    assert set(VOICES) == set(LISTS)
    for text in FILES.values():
        assert parse_connector(text, name="cookbook").engine


# -- conventions around them


def engine_of(address: str, reply: dict[str, Any], **speak: Any) -> Engine:
    return parse_connector(json.dumps({
        "zest-connector": 1, "engine": "E", "voices": [{"id": "hesk", "languages": ["en-GB"]}],
        "speak": {"kind": "http", "address": f"{address}/speak", "body": {"text": "{text}"}, "reply": reply, **speak},
    }), name="e.json")  # fmt: skip


def packed(form: str, subtype: str | None = None, rate: int = 16_000) -> bytes:
    out = io.BytesIO()
    tone = 0.25 * np.sin(2 * np.pi * 220 * np.arange(round(0.4 * rate)) / rate)
    soundfile.write(out, tone, rate, format=form, subtype=subtype)
    return out.getvalue()


def adts() -> bytes:
    """AAC as a stream of frames, each with a head of its own (ISO/IEC 13818-7, annex A)."""
    out = io.BytesIO()
    with av.open(out, "w", format="adts") as container:
        stream = container.add_stream("aac", rate=16_000)
        tone = (0.25 * np.sin(2 * np.pi * 220 * np.arange(6_400) / 16_000)).astype(np.float32)
        for at in range(0, len(tone), 1024):
            frame = av.AudioFrame.from_ndarray(tone[None, at : at + 1024], format="fltp", layout="mono")
            frame.sample_rate = 16_000
            for packet in stream.encode(frame):
                container.mux(packet)
        for packet in stream.encode(None):
            container.mux(packet)
    return out.getvalue()


def sized(riff: int, data: int) -> bytes:
    return SOUND[:4] + riff.to_bytes(4, "little") + SOUND[8:40] + data.to_bytes(4, "little") + SOUND[44:]


BODIES = {
    "WAV": SOUND, "WAV of size 0": sized(0, 0), "WAV of endless size": sized(2**32 - 1, 2**32 - 1),
    "WAV with streaming sizes": sized(2**31 - 1, 2**31 - 1 - 36), "WAV, 24 bit": packed("WAV", "PCM_24"),
    "WAV, float": packed("WAV", "FLOAT"), "WAV, mu-law": packed("WAV", "ULAW"), 
    "WAV, 44,100 Hz": packed("WAV", rate=44_100),
    "WAV, 8,000 Hz": packed("WAV", rate=8_000), "FLAC": packed("FLAC"), "OGG, Vorbis": packed("OGG", "VORBIS"),
    "OGG, Opus": packed("OGG", "OPUS"), "MP3": packed("MP3"), "AIFF": packed("AIFF"), "AU": packed("AU"),
    "AAC, ADTS": adts(), "WAVEX": packed("WAVEX"), "RF64": packed("RF64"),
}  # fmt: skip


@pytest.mark.parametrize("kind", BODIES)
def test_kinds_of_sound_in_the_body(kind: str) -> None:
    with SmallService(lambda _: Answer(BODIES[kind])) as service:
        clip = spoken(engine_of(service.address, {"audio": "body"})).clip
    assert clip.duration_s == pytest.approx(0.4, abs=0.13 if kind in ("MP3", "AAC, ADTS", "OGG, Opus") else 0.002)
    spectrum = np.abs(np.fft.rfft(clip.samples[:, 0] * np.hanning(len(clip.samples))))
    assert spectrum.argmax() * clip.rate_hz / len(clip.samples) == pytest.approx(220, abs=6)


WRITINGS = {
    "plain": CODED,
    "in lines": "\n".join(CODED[at : at + 76] for at in range(0, len(CODED), 76)),
    "URL-safe": base64.urlsafe_b64encode(SOUND).decode(),
    "unpadded": CODED.rstrip("="),
    "URL-safe and unpadded": base64.urlsafe_b64encode(SOUND).decode().rstrip("="),
    "a data address": f"data:audio/wav;base64,{CODED}",
    "with CRLF": "\r\n".join(CODED[at : at + 64] for at in range(0, len(CODED), 64)) + "\r\n",
}


@pytest.mark.parametrize("writing", WRITINGS)
def test_writings_of_base64(writing: str) -> None:
    """RFC 4648 and RFC 2045, which writes it in lines."""
    with SmallService(lambda _: as_json({"sound": WRITINGS[writing]})) as service:
        assert spoken(engine_of(service.address, {"audio": "json sound"})).data == SOUND


TYPES = {
    "audio/L16;rate=16000": np.frombuffer(RAW, "<i2").byteswap().tobytes(),
    "audio/l16; rate=16000; channels=1": np.frombuffer(RAW, "<i2").byteswap().tobytes(),
    "audio/pcm;rate=16000": RAW, "audio/x-pcm; samplerate=16000": RAW, "audio/raw; rate=\"16000\"": RAW,
    "audio/wav": SOUND, "audio/mpeg": packed("MP3"),
}  # fmt: skip


@pytest.mark.parametrize("kind", TYPES)
def test_content_types_say_how_samples_are_packed(kind: str) -> None:
    with SmallService(lambda _: Answer(TYPES[kind], headers={"Content-Type": kind})) as service:
        reply = {"audio": "body", "encoding": "content type", "rate_hz": "content type"}
        clip = spoken(engine_of(service.address, reply)).clip
    assert (clip.rate_hz, clip.duration_s) == (16_000, pytest.approx(0.4, abs=0.1))
    assert np.abs(clip.samples).max() == pytest.approx(9000 / 32768, abs=0.03), "noise would be louder"


FAILURES: dict[str, tuple[dict[str, Any], Answer, str]] = {
    "an error in JSON although 200": (
        {"audio": "json sound"}, as_json({"error": {"code": 17, "message": "voice is resting"}}), "voice is resting"),
    "an error in the body although 200": (
        {"audio": "body"}, as_json({"detail": "no such season"}), "It says: {\"detail\": \"no such season\"}"),
    "an error event": (
        {"audio": "events audio"}, Answer(events({"error": "too cold"})),
        "No event of the stream holds sound: too cold"),
    "an error line": (
        {"audio": "lines audio"}, Answer(in_lines({"status": "x"}, {"message": "frost"})),
        "No line of the stream holds sound: frost"),
    "an error with its status": (
        {"audio": "body"}, as_json({"message": "bad pace"}, 422), "answered 422: {\"message\": \"bad pace\"}"),
    "no base64": ({"audio": "json sound"}, as_json({"sound": "~~~"}), "What is at 'sound' in the reply is no base64"),
    "no hexadecimal": ({"audio": "json sound", "coded": "hex"}, as_json({"sound": "xyz"}), "is no hex"),
    "no rate": (
        {"audio": "body", "encoding": "pcm_s16le", "rate_hz": "header X-Rate"}, Answer(RAW),
        "how many samples a second"),
    "a rate beyond reason": (
        {"audio": "body", "encoding": "pcm_s16le", "rate_hz": "header X-Rate"}, Answer(RAW, headers={"X-Rate": "12"}),
        "how many samples a second"),
    "pieces that do not fit": (
        {"audio": "json parts.*"}, as_json({"parts": [CODED, base64.b64encode(wav(0.1, 8_000)).decode()]}),
        "of different kinds"),
    "bytes of no kind": ({"audio": "body"}, Answer(bytes(range(200, 256)) * 9), "it begins with c8 c9 ca cb"),
}  # fmt: skip


@pytest.mark.parametrize("name", FAILURES)
def test_failures_quote_what_came(name: str) -> None:
    reply, answer, said = FAILURES[name]
    with SmallService(lambda _: answer) as service, pytest.raises(SynthesisFailure) as caught:
        spoken(engine_of(service.address, reply))
    assert said in caught.value.what


def test_the_states_of_a_job_are_told() -> None:
    told: list[str] = []
    answer = Service()
    name = "A job with a number"
    with SmallService(lambda heard: answer(name, heard)) as service:
        connector = open_connector(
            parse_connector(FILES[name].replace("https://speech.example", service.address), name="")
        )
        connector.tell = told.append  # type: ignore[attr-defined]
        connector.speak(REQUEST)
        connector.close()
    assert told == ["job 17 is running", "job 17 is ready"]


def test_a_job_that_is_given_up_names_its_last_state() -> None:
    def answer(heard: Heard) -> Answer:
        return as_json({"id": "7"}) if heard.path == "/speak" else as_json({"state": "spoiled", "why": "rain"})

    job = {"id": "json id", "poll": "/jobs/{job}", "state": "json state", "failed": ["spoiled"]}
    with SmallService(answer) as service, pytest.raises(SynthesisFailure, match=r"its state: spoiled\): .*rain"):
        spoken(engine_of(service.address, {"audio": "body"}, job=job))


@pytest.mark.parametrize(
    ("field", "value", "line", "said"),
    [("body", "{text: '{text}', voice: '{vioce}'}", 7, "speak.body.voice: nothing fills {vioce}. Was {voice} meant?"),
     ("headers", "{X-V: '{speaker}'}", 7, "nothing fills {speaker}"),
     ("query", "{q: '{tekst}'}", 7, "Was {text} meant?"),
     ("address", "'https://speech.example/{output}'", 6, "nothing fills {output}")],
)  # fmt: skip
def test_a_place_that_nothing_fills_is_refused_with_its_line(field: str, value: str, line: int, said: str) -> None:
    address = value if field == "address" else "https://speech.example/speak"
    rest = "" if field == "address" else f"  {field}: {value}\n"
    text = (f"zest-connector: 1\nengine: E\nvoices: [{{id: v, languages: [en]}}]\nspeak:\n  kind: http\n"
            f"  address: {address}\n{rest}")  # fmt: skip
    with pytest.raises(ConnectorError) as caught:
        parse_connector(text, name="e.yaml")
    assert f"e.yaml, line {line}: " in str(caught.value)
    assert said in str(caught.value)
    assert parse_connector(text, name="e.yaml", kept=True).engine == "E", "one that a project holds already still opens"


def test_doubled_braces_are_braces_and_controls_are_places() -> None:
    seen: list[Any] = []

    def answer(heard: Heard) -> Answer:
        seen.append(heard.json)
        return Answer(SOUND)

    with SmallService(answer) as service:
        engine = parse_connector(json.dumps({
            "zest-connector": 1, "engine": "E", "voices": [{"id": "hesk", "languages": ["en-GB"]}],
            "controls": [{"name": "pace", "kind": "number", "low": 0.5, "high": 2, "step": 0.1, "default": 1.0}],
            "speak": {"kind": "http", "address": f"{service.address}/speak",
                      "body": {"text": "{text}", "pace": "{pace}", "as": "{{voice}} of {voice}", "raw": "{\"a\": 1}"}},
        }), name="e.json")  # fmt: skip
        connector = open_connector(engine)
        connector.speak(
            SpeakRequest(text="One.", language="en-GB", voice="hesk", model="default", settings={"pace": 1.2})
        )
        connector.close()
    assert seen == [{"text": "One.", "pace": 1.2, "as": "{voice} of hesk", "raw": '{"a": 1}'}]


def test_a_token_that_ended_early_is_renewed_once_and_no_text_is_paid_twice() -> None:
    tokens: list[str] = []
    texts: list[str] = []
    good: set[str] = set()

    def answer(heard: Heard) -> Answer:
        given = heard.headers.get("authorization", "").removeprefix("Bearer ")
        if heard.path == "/token":
            tokens.append(f"t-{len(tokens)}-of-a-season")
            return as_json({"access_token": tokens[-1]})
        if heard.path == "/job" or given not in good:
            return as_json({"error": f"{given} is over"}, 401)
        texts.append(given)
        return as_json({"job": "1"}) if heard.path == "/queue/speak" else Answer(SOUND)

    with SmallService(answer) as service:

        def opened(path: str, **more: Any) -> Any:
            token = {"address": f"{service.address}/token"}
            headers = {"Authorization": "Bearer {token}"}
            address = service.address + path
            engine = engine_of(address, {"audio": "body"}, token=token, headers=headers, **more)
            return open_connector(engine)

        connector = opened("")
        with pytest.raises(SynthesisFailure) as caught:
            connector.speak(REQUEST)
        assert len(tokens) == 2, "asked for again once, and no more"
        assert "t-1-of-a-season" not in caught.value.what, "a token is a key, and masked like one"
        good.add("t-2-of-a-season")
        assert connector.speak(REQUEST).data == SOUND
        good.clear()
        good.add("t-3-of-a-season")
        assert connector.speak(REQUEST).data == SOUND, "t-2 has ended meanwhile"
        assert texts == ["t-2-of-a-season", "t-3-of-a-season"]
        connector.close()
        good.update(f"t-{k}-of-a-season" for k in range(9))
        job = {"id": "json job", "poll": f"{service.address}/job", "state": "json state", "done": ["done"]}
        connector = opened("/queue", job=job)
        with pytest.raises(SynthesisFailure, match="had taken the text in"):
            connector.speak(REQUEST)
        assert len(texts) == 3, "a job that was taken in is not asked for twice"
        connector.close()


def test_a_token_goes_to_no_other_host() -> None:
    def answer(heard: Heard) -> Answer:
        if heard.path == "/token":
            return as_json({"access_token": "t-of-this-season"})
        return Answer(b"", 302, {"Location": f"{elsewhere.address}/say?key={heard.query['key']}"})

    with SmallService(lambda _: Answer(SOUND)) as elsewhere, SmallService(answer) as service:
        engine = engine_of(service.address, {"audio": "body"}, method="GET", body=None, query={"key": "{token}"},
                           token={"address": f"{service.address}/token"})  # fmt: skip
        connector = open_connector(engine)
        with pytest.raises(SynthesisFailure, match="was not sent there"):
            connector.speak(REQUEST)
        connector.close()
        assert elsewhere.heard == []


@pytest.fixture(scope="module", autouse=True)
def _nothing_is_left_running() -> Iterator[None]:
    yield
    assert "speak-program" not in subprocess.run(["ps", "ax"], capture_output=True, text=True, check=False).stdout
