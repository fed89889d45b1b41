"""What is fuzzed: each door through which strangers' bytes come in, with good examples to damage."""

from __future__ import annotations

import base64
import hashlib
import io
import json
import zipfile
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from importlib import resources
from types import SimpleNamespace
from typing import Any, cast

import av
import docx
import numpy as np
import openpyxl
import soundfile
import yaml

from tests.core.test_readers import pdf
from zestpanel.core.audio.files import decode, decode_raw, peaks
from zestpanel.core.audio.kinds import is_cut_off
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.catalogue.reaching import FailureRule, HttpReply, HttpSpeak, VoiceList
from zestpanel.core.connectors.arrival import complete_frames, sound_trace
from zestpanel.core.connectors.http.connector import raise_for_failure, understood
from zestpanel.core.connectors.http.conversation import Heard
from zestpanel.core.connectors.http.finding import Contents
from zestpanel.core.connectors.http.receiving import Received
from zestpanel.core.connectors.voice_list import read_page
from zestpanel.core.connectors.wizard.example import read_example
from zestpanel.core.connectors.wizard.reply import look_into
from zestpanel.core.errors import InputError
from zestpanel.core.listening.rating_files import rows_of
from zestpanel.core.report.catalogue_file import parse_catalogue, voices_from_csv, votes_from_csv
from zestpanel.core.runs.files.bringing_in import from_table
from zestpanel.core.text.lexicon.pls import from_pls
from zestpanel.core.text.marks.ssml import from_ssml
from zestpanel.core.text.readers.reading import script_of


@dataclass(frozen=True)
class Target:
    """take: what a person's or a service's bytes go through. weight: how often, against the others.

    inside: damages what is packed in a document, instead of the packing.
    """

    take: Callable[[bytes], object]
    seeds: Sequence[bytes]
    words: list[bytes] = field(default_factory=list)
    weight: float = 1.0
    inside: Callable[[bytes, Callable[[bytes], bytes]], bytes] | None = None


def text_of(data: bytes) -> str:
    """As a file read as UTF-8 arrives; what is not UTF-8 is refused before."""
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise InputError("It is not in UTF-8.") from error


_ODD_VALUES: Sequence[Any] = (
    None, True, [], {}, "", 0, -1, 1e308, 10**400, "\ud800", "x" * 20_000, [[[[]]]], {"a": {"b": [1]}}, "2028-02-29",
    "1e30", float("nan"), float("inf"), "{text}", "json ", "../x", "\r\n", ["en-GB"] * 3_000,
)  # fmt: skip


def value_changed(data: bytes, damage: Callable[[bytes], bytes]) -> bytes:
    """JSON or YAML with one value replaced by an odd one, or damaged, or its name."""
    tree = yaml.load(data, yaml.CSafeLoader)
    places: list[tuple[Any, Any]] = []

    def walk(node: Any) -> None:
        for key in list(node if isinstance(node, dict) else range(len(node))):
            places.append((node, key))
            if isinstance(node[key], dict | list):
                walk(node[key])

    walk(tree)
    pick = iter(hashlib.sha256(damage(data)).digest())
    number = lambda: next(pick) * 256 + next(pick)  # noqa: E731
    node, key = places[number() % len(places)]
    if number() % 3 == 0:
        node[key] = damage(str(node[key]).encode()).decode("utf-8", "replace")
    elif number() % 5 == 0 and isinstance(node, dict):
        node[damage(str(key).encode()).decode("utf-8", "replace")] = node.pop(key)
    else:
        node[key] = _ODD_VALUES[number() % len(_ODD_VALUES)]
    return json.dumps(tree, default=str).encode()


# -- scripts


def packed(members: dict[str, str | bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in members.items():
            archive.writestr(name, content)
    return out.getvalue()


def damaged_inside(data: bytes, damage: Callable[[bytes], bytes]) -> bytes:
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        members: dict[str, str | bytes] = {name: archive.read(name) for name in archive.namelist()}
    names = [name for name in members if name.endswith((".xml", ".xhtml", ".opf", ".rels"))]
    changed = sum(damage(bytes([len(members)])))
    name = names[changed % len(names)]
    members[name] = damage(cast(bytes, members[name]))
    return packed(members)


def _docx() -> bytes:
    document = docx.Document()
    document.add_heading("The frost year", 1)
    document.add_paragraph("Keep it at three degrees, in the dark.")
    table = document.add_table(2, 2)
    table.cell(0, 0).merge(table.cell(0, 1)).text = "Over both"
    table.cell(1, 1).text = "One"
    out = io.BytesIO()
    document.save(out)
    return out.getvalue()


def _xlsx() -> bytes:
    book = openpyxl.Workbook()
    sheet = book.worksheets[0]
    sheet.append(["speaker", "text"])
    sheet.append(["Marge", "Three degrees."])
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


_ODT = packed({"content.xml": (
    '<office:document-content xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" '
    'xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"><office:body><office:text>'
    '<text:h>The frost year</text:h><text:p>Three<text:s text:c="2"/>degrees'
    "<text:note><text:note-body><text:p>A note</text:p></text:note-body></text:note>.</text:p>"
    "</office:text></office:body></office:document-content>"
)})  # fmt: skip
_EPUB = packed({
    "META-INF/container.xml": '<container xmlns="urn:oasis:names:tc:opendocument:xmlns:container"><rootfiles>'
    '<rootfile full-path="b.opf"/></rootfiles></container>',
    "b.opf": '<package xmlns="http://www.idpf.org/2007/opf"><manifest><item id="a" href="a.xhtml" '
    'media-type="application/xhtml+xml"/></manifest><spine><itemref idref="a"/><itemref idref="a"/></spine></package>',
    "a.xhtml": "<html><body><h1>One</h1><p>Three degrees.</p></body></html>",
})  # fmt: skip
_HTML = (b"<!doctype html><html lang=en><head><title>T</title></head><body><h1>One</h1><nav>x</nav><p>Three <b>degrees"
         b"</b><br>dark<ul><li>a<p>b</ul><aside>note</aside><table><tr><td>c</table></body></html>")  # fmt: skip
_SCRIPTS: dict[str, tuple[list[bytes], list[bytes]]] = {
    "txt": ([b"MARGE: Three degrees.\n\nTOM: In the dark.\n\nMARGE: Yes.\n", "Äpfel\n\nnoch".encode("latin-1"),
             "Three".encode("utf-16")], [b": ", b"MARGE", b"INT. ", b"(off)"]),
    "md": ([b"---\na: b\n---\n# One #\n\nThree *degrees*, [a](b) ![c](d) `e`[^1].\n\n```\ncode\n```\n[^1]: note\n"
            b"<!-- x -->\n- - -\n"], [b"**", b"```", b"[^", b"](", b"<!--", b"-->", b"![", b"# ", b"---\n"]),
    "html": ([_HTML], [b"<p>", b"</", b"<script>", b"<br>", b"<!--", b"<![CDATA[", b"<svg>", b"<table><td>", b"&#x"]),
    "srt": ([b"1\n00:00:01,000 --> 00:00:02,500\n<i>Three</i> degrees\n\n2\n00:00:03,000 --> 00:00:04,000\nDark\n"],
            [b"-->", b"{\\an8}", b"<v ", b"00:00:00,000", b"[Script Info]", b'{"a":1}', b"<tt>"]),
    "vtt": ([b"WEBVTT\n\n00:01.000 --> 00:02.000\n<v Marge>Three degrees\n"], [b"NOTE ", b"STYLE\n", b"-->", b"<c.x>"]),
    "csv": ([b"speaker,text\nMarge,\"Three, degrees\"\nTom,Dark\n", b"a;b\n1;2\n"], [b'"', b",", b";", b"\t", b"\n,"]),
    "tsv": ([b"speaker\ttext\nMarge\tThree degrees\n"], [b'"', b"\t"]),
    "docx": ([_docx()], [b"<w:p>", b"<w:gridSpan w:val='9999'/>", b"<w:tbl>", b"<w:tc>"]),
    "odt": ([_ODT], [b"<text:p>", b"</text:p>", b'<text:s text:c="999999999"/>', b"<text:note>"]),
    "epub": ([_EPUB], [b'<itemref idref="a"/>', b"../", b"%00"]),
    "xlsx": ([_xlsx()], [b'r="XFD1048576"', b'<dimension ref="A1:XFD1048576"/>', b"<c t='s'><v>99</v></c>"]),
    "pdf": ([pdf("Three degrees.", "In the dark.")], [b"1 0 R", b"/Kids", b"/Count 99999999", b"stream", b"endobj"]),
}  # fmt: skip


def _script(suffix: str) -> Callable[[bytes], object]:
    return lambda data: script_of(data, f"file.{suffix}", f".{suffix}")


# -- sound


def _wave() -> np.ndarray[Any, Any]:
    at = np.arange(4_000) / 16_000
    return (0.2 * np.sin(2 * np.pi * 220 * at)).astype(np.float32)


def _sound(form: str, subtype: str) -> bytes:
    out = io.BytesIO()
    soundfile.write(out, _wave(), 16_000, format=form, subtype=subtype)
    return out.getvalue()


def _m4a() -> bytes:
    out = io.BytesIO()
    with av.open(out, "w", format="mp4") as container:
        stream = container.add_stream("aac", rate=16_000)
        frame = av.AudioFrame.from_ndarray(_wave()[None, :1024], format="fltp", layout="mono")
        frame.sample_rate = 16_000
        for packet in [*stream.encode(frame), *stream.encode(None)]:
            container.mux(packet)
    return out.getvalue()


def _decoded(data: bytes) -> None:
    is_cut_off(data)
    clip = decode(data)
    peaks(clip, 100)
    half = len(data) // 2
    sound_trace([(0.1, data[:half]), (0.2, data[half:])], clip)


# -- replies

_PCM = (_wave() * 32767).astype("<i2").tobytes()
_TREE = {"sound": base64.b64encode(_sound("WAV", "PCM_16")).decode(), "voice": "v", "n": 4, "left": 5,
         "times": [["a", 0.0, 0.1], {"word": "b", "start": 0.1, "end": 0.2}]}  # fmt: skip
_WHERE = {"voice_used": "json voice", "characters_billed": "json n", "allowance_left": "json left",
          "word_times": "json times"}  # fmt: skip
_EVENTS = b"".join(b'data: {"sound": "%s", "n": 4}\n\n' % base64.b64encode(_PCM[i : i + 2000])
                   for i in range(0, len(_PCM), 2000))  # fmt: skip
_LINES = _EVENTS.replace(b"data: ", b"").replace(b"\n\n", b"\n")
_PARTS = (b"--x\r\nContent-Type: application/json\r\n\r\n" + json.dumps({"voice": "v", "n": 4}).encode()
          + b"\r\n--x\r\nContent-Type: audio/wav\r\n\r\n" + _sound("WAV", "PCM_16") + b"\r\n--x--\r\n")  # fmt: skip


def _received(data: bytes, headers: dict[str, str], status: int = 200) -> Received:
    step = max(1, len(data) // 7)
    chunks = tuple((i / 1e6, data[i : i + step]) for i in range(0, len(data), step))
    return Received(status=status, headers=headers, chunks=chunks, marks={}, last_byte_s=1.0)


def _reply(audio: str, raw: bool = False, kind: str = "") -> Callable[[bytes], object]:
    stated: dict[str, Any] = {"audio": audio, **_WHERE}
    if raw:
        stated |= {"encoding": "pcm_s16le", "rate_hz": 16_000}
    where = HttpReply.model_validate(stated)

    def take(data: bytes) -> None:
        contents = Contents(_received(data, {"content-type": kind}), audio, None)
        understood(contents, where, {}, 0.1, 0.0, cold=False)

    return take


def _message(data: bytes) -> None:
    heard = Heard("sound")
    for piece in data.split(b"\n"):
        heard.take(0.1, piece.decode("utf-8", errors="replace"))
    if heard.any_sound:
        understood(heard, HttpReply.model_validate({"audio": "messages sound", "encoding": "pcm_s16le",
                                                    "rate_hz": 16_000, **_WHERE}), {}, 0.1, 0.0, False)  # fmt: skip


_SPEAK = HttpSpeak(kind="http", address="http://x.example/",
                   failures=(FailureRule(kind="limited", status=429, body_has="slow"),))  # fmt: skip


def _failure(data: bytes) -> None:
    head, _, body = data.partition(b"\n")
    status = 200 + sum(head) % 400
    raise_for_failure(_SPEAK, _received(body, {"retry-after": head.decode("latin-1")}, status))


_VOICES = VoiceList(address="http://x.example/", list="json voices",
                    each={"id": "id", "languages": "lang", "gender": "sex"},
                    values={"gender": {"f": "female"}})  # fmt: skip


def _voices(data: bytes) -> None:
    try:
        page = json.loads(data)
    except (ValueError, RecursionError) as error:
        raise InputError("The list of voices is not JSON.") from error
    read_page(_VOICES, page, "E")


def _looked_into(data: bytes) -> None:
    head, _, body = data.partition(b"\n")
    look_into(_received(body, {"content-type": head.decode("latin-1")}))


# -- files and tables

_ENGINES = [file.read_bytes() for file in (resources.files("zestpanel.demo") / "engines").iterdir()]
_CALL = (b"curl -s -X POST 'https://x.example/v1/say?lang=fr-FR' -H 'X-Key: abc' -H 'Content-Type: application/json' "
         b"""--data '{"text": "Hello there", "voice": "v", "pace": 1.0}' -o out.wav""")  # fmt: skip
_RAW = (b"POST /v2/say HTTP/1.1\nHost: x.example\nAuthorization: Bearer abc.def\nContent-Type: application/json\n\n"
        b'{"input": {"text": "Hi"}, "voice": {"name": "v"}}')  # fmt: skip
_SSML = (b'<?xml version="1.0"?><speak version="1.1" xmlns="http://www.w3.org/2001/10/synthesis" xml:lang="en-GB">'
         b'<p>Keep <emphasis level="strong">it</emphasis><break time="300ms"/> at <prosody rate="90%" pitch="+2st">'
         b'three</prosody> <say-as interpret-as="date" format="dmy">1.2.2028</say-as> <sub alias="x">y</sub></p>'
         b'</speak>')  # fmt: skip
_PLS = (
    '<lexicon version="1.0" xmlns="http://www.w3.org/2005/01/pronunciation-lexicon" alphabet="ipa" '
    'xml:lang="en-GB"><lexeme><grapheme>russet</grapheme><phoneme>ˈrʌsɪt</phoneme></lexeme></lexicon>'
).encode()
_CATALOGUE = json.dumps({
    "zest-catalogue": 1,
    "engines": [{"file": "e.yaml", "statements": [{"about": "engine", "fact": "licence", "value": "ours"}],
                 "connector": "zest-connector: 1\nengine: E\nvoices: [{id: a, languages: [en-GB]}]\n"
                                        "speak: {kind: http, address: 'http://x.example/'}\n"}],
}).encode()  # fmt: skip


def _clips(data: bytes) -> None:
    passage = SimpleNamespace(id=1, title="One")
    candidate = SimpleNamespace(id=1, voice="v")
    from_table(text_of(data), name="t.csv", folder=__import__("pathlib").Path("/nowhere"),
               candidates=cast(Any, [candidate]), names={1: "E · v"}, passages=cast(Any, [passage]))  # fmt: skip


TARGETS: dict[str, Target] = {
    **{
        f"script {suffix}": Target(_script(suffix), seeds, words,
                                   weight=0.5 if suffix in ("docx", "xlsx") else 1,
                                   inside=damaged_inside if suffix in ("docx", "odt", "epub", "xlsx") else None)
        for suffix, (seeds, words) in _SCRIPTS.items()
    },
    "sound": Target(_decoded, [_sound("WAV", "PCM_16"), _sound("WAV", "FLOAT"), _sound("WAV", "ULAW"),
                               _sound("WAV", "IMA_ADPCM"), _sound("FLAC", "PCM_16"), _sound("OGG", "VORBIS"),
                               _sound("OGG", "OPUS"), _sound("MP3", "MPEG_LAYER_III"), _sound("AIFF", "PCM_16"),
                               _m4a()],
                    [b"RIFF", b"fmt ", b"data", b"OggS", b"fLaC", b"moov"], weight=3),
    "frames": Target(complete_frames, [_sound("FLAC", "PCM_16"), _sound("OGG", "OPUS"),
                                       _sound("MP3", "MPEG_LAYER_III")]),
    "raw samples": Target(lambda data: decode_raw(data, "pcm_s24le", rate_hz=16_000, channels=3), [_PCM], weight=0.5),
    "reply json": Target(_reply("json sound"), [json.dumps(_TREE).encode()], [b"\\u0000", b"null", b"1e400", b"[]"],
                         weight=2, inside=value_changed),
    "reply events": Target(_reply("events sound", raw=True), [_EVENTS], [b"data:", b"event: x\n", b"\r\n", b":\n"]),
    "reply lines": Target(_reply("lines sound", raw=True), [_LINES], [b"\n", b"[DONE]"]),
    "reply parts": Target(_reply("part audio/", kind='multipart/mixed; boundary="x"'), [_PARTS],
                          [b"--x", b"\r\n\r\n", b"Content-Type: multipart/mixed; boundary=y\r\n", b"base64"]),
    "messages": Target(_message, [_LINES], [b"\n"]),
    "failure": Target(_failure, [b"120\nslow down", b"Wed, 21 Oct 2026 07:28:00 GMT\n{}"], [b"GMT", b"-"], weight=0.5),
    "voice list": Target(_voices, [b'{"voices": [{"id": "a", "lang": ["en-GB"], "sex": "f"}]}',
                                   b'{"voices": {"a": {"id": "a", "lang": "en_GB"}}}'], [b"null", b"[[", b"{}"],
                         inside=value_changed),
    "first reply": Target(_looked_into, [b"application/json\n" + json.dumps(_TREE).encode(), b"text/event-stream\n"
                                         + _EVENTS, b"audio/l16;rate=16000\n" + _PCM], [b"rate=", b"multipart/"]),
    "connector file": Target(lambda data: parse_connector(text_of(data), name="e.yaml"), _ENGINES,
                             [b"&a ", b"*a", b"!!python/object:os.system", b"<<: ", b"kind: ", b"price: 1e30",
                              b"1:30:30", b"? ", b"- - - -", b"{secret}"], weight=2, inside=value_changed),
    "catalogue": Target(lambda data: parse_catalogue(text_of(data), name="c.yaml"), [_CATALOGUE],
                        [b"&a ", b"*a", b": "], inside=value_changed),
    "voices table": Target(lambda data: voices_from_csv(text_of(data), name="v.csv"),
                           [b"engine,id,languages,name\nE,a,en-GB; fr,Ann\n"], [b";", b'"', b","]),
    "votes table": Target(lambda data: votes_from_csv(text_of(data), name="v.csv"),
                          [b"name,strength,wins,votes\nE,1012.5,0.6,300\n"], [b",", b"nan", b"inf", b"1e400"]),
    "clips table": Target(_clips, [b"file,candidate,passage,wait_s\na.wav,1,1,2.5\n"], [b",", b"nan", b"/"]),
    "ratings table": Target(lambda data: rows_of(text_of(data), "r.csv"),
                            [b"listener,passage,candidate,score\nA,1,1,4\n"], [b";", b"\t", b'"']),
    "ssml": Target(lambda data: from_ssml(text_of(data)), [_SSML],
                   [b"<p>", b"<s>", b"</p>", b"<prosody volume='+1e999dB'>", b"<!DOCTYPE a [", b"<!ENTITY a 'b'>",
                    b"<metadata>", b'encoding="x"', b'encoding="utf-16"']),
    "pronunciations": Target(lambda data: from_pls(text_of(data)), [_PLS],
                             [b"<lexeme>", b"<metadata>", b"<!ENTITY a 'b'>", b'encoding="shift_jis"', b"prefer"]),
    "pasted example": Target(lambda data: read_example(text_of(data)).as_file(),
                             [_CALL, _RAW, b"kitchen --voice hesk --out {output} 'Hello there'", b"https://x.example/a?b=c"],
                             [b"'", b'"', b"\\", b"-H ", b"-d ", b"{", b"$(", b"|", b"http://[", b"-u a:b ", b"@"]),
}  # fmt: skip
