"""Connectors against the stand-ins: over real HTTP and real processes, faults included."""

from __future__ import annotations

import io
import shlex
import subprocess
import sys
import threading
import time
from pathlib import Path

import numpy as np
import psutil
import pytest
import soundfile

from tests.conftest import KEY, demo_engine_source, tone
from zestpanel.core.audio.files import decode, encode_flac, write_wav
from zestpanel.core.audio.kinds import is_cut_off, kind_of_sound
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.connectors.arrival import complete_frames, sound_trace
from zestpanel.core.connectors.opening import open_connector
from zestpanel.core.connectors.programs import console_verdict
from zestpanel.core.connectors.speaking import SpeakRequest
from zestpanel.core.connectors.templates import fill
from zestpanel.core.connectors.watching import MemoryWatch
from zestpanel.core.domain.take import Timing
from zestpanel.core.errors import AudioError, Cancelled, SynthesisFailure
from zestpanel.standins.service import StandInService

TEXT = "Keep it at three degrees, in the dark."


def engine(name: str, **changes: object) -> Engine:
    found = parse_connector(demo_engine_source(name), name=name)
    return found.model_copy(update={"speak": found.speak.model_copy(update=changes)})


def request(voice: str, text: str = TEXT) -> SpeakRequest:
    return SpeakRequest(
        text=text, language="en-GB", voice=voice, model="m", settings={"pace": 1.0, "liveliness": 1.0, "mood": "plain"}
    )


def test_a_streamed_reply_and_its_times(service: StandInService) -> None:
    service.behaviour.chunk_s = 0.03
    connector = open_connector(engine("tangor"))
    cold, warm = connector.speak(request("ilseth")), connector.speak(request("ilseth"))
    connector.close()
    assert cold.timing.cold
    assert not warm.timing.cold
    t = warm.timing
    assert t.first_byte_s is not None
    assert t.first_sound_s is not None
    assert t.connected_s is None, "the second request goes over the kept connection"
    assert cold.timing.connected_s is not None
    assert 0 < t.first_byte_s <= t.first_sound_s < t.last_byte_s <= t.decoded_s
    assert len(t.chunks) >= 8
    assert t.last_byte_s - t.first_sound_s > 0.03 * 5, "chunks arrive as they are sent"
    assert (warm.voice_used, warm.characters_billed) == ("ilseth", len(TEXT))
    assert warm.allowance_left == service.behaviour.allowance - 2 * len(TEXT)
    assert t.stall_free_start_s() == pytest.approx(max(a - d for a, d in t.chunks))


def test_a_json_reply_with_word_times(service: StandInService) -> None:
    connector = open_connector(engine("citrange"))
    reply = connector.speak(request("linnoway"))
    connector.close()
    assert [w for w, _, _ in reply.word_times][:3] == ["Keep", "it", "at"]
    assert reply.word_times[-1][2] <= reply.clip.duration_s + 0.01
    assert kind_of_sound(reply.data) == "wav"


FAULTS = [
    ("tangor", "limit", "limited", "429"),
    ("tangor", "server error", "server error", "500"),
    ("tangor", "web page", "wrong content", "a web page, not sound"),
    ("citrange", "web page", "wrong content", "a web page, not JSON"),
    ("tangor", "cut off", "broken sound", "cut off|broke in the middle"),
    ("citrange", "cut off", "broken sound", "cut off"),
    ("tangor", "stall", "timed out", "in the middle of the reply"),
]


@pytest.mark.parametrize(("name", "fault", "kind", "words"), FAULTS)
def test_faults_by_kind(service: StandInService, name: str, fault: str, kind: str, words: str) -> None:
    service.behaviour.faults.append(fault)
    service.behaviour.stall_s = 12
    connector = open_connector(engine(name, read_timeout_s=3 if fault == "stall" else 20))
    with pytest.raises(SynthesisFailure, match=words) as caught:
        connector.speak(request("ilseth" if name == "tangor" else "linnoway"))
    assert caught.value.kind == kind
    if fault == "limit":
        assert caught.value.retry_after_s == pytest.approx(0.4)
    assert connector.speak(request("ilseth" if name == "tangor" else "linnoway")).clip.duration_s > 1
    connector.close()


def test_a_wrong_key_is_refused_and_never_shown(service: StandInService, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("ZEST_SECRET_LIMONAIA", "a-very-secret-key")
    connector = open_connector(engine("tangor"))
    shown = connector.describe(request("ilseth"))
    assert "••••" in shown
    assert "a-very-secret-key" not in shown
    with pytest.raises(SynthesisFailure) as caught:
        connector.speak(request("ilseth"))
    connector.close()
    assert caught.value.kind == "refused"
    assert "a-very-secret-key" not in str(caught.value)


def test_a_key_echoed_by_the_service_is_masked(service: StandInService, monkeypatch: pytest.MonkeyPatch) -> None:
    # the service repeats the voice it does not know: here the voice is the key itself
    connector = open_connector(engine("tangor"))
    with pytest.raises(SynthesisFailure) as caught:
        connector.speak(request(KEY))
    connector.close()
    assert KEY not in str(caught.value)
    assert "••••" in str(caught.value)


def test_missing_key_and_missing_address(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("ZEST_LIMONAIA_ADDRESS", "http://127.0.0.1:1")
    monkeypatch.delenv("ZEST_SECRET_LIMONAIA", raising=False)
    monkeypatch.setenv("PYTHON_KEYRING_BACKEND", "keyring.backends.null.Keyring")
    connector = open_connector(engine("tangor"))
    with pytest.raises(SynthesisFailure, match="key 'limonaia' is missing"):
        connector.speak(request("ilseth"))
    monkeypatch.setenv("ZEST_SECRET_LIMONAIA", KEY)
    with pytest.raises(SynthesisFailure, match="could not be reached") as caught:
        connector.speak(request("ilseth"))
    assert caught.value.kind == "unreachable"
    monkeypatch.delenv("ZEST_LIMONAIA_ADDRESS")
    with pytest.raises(SynthesisFailure, match="ZEST_LIMONAIA_ADDRESS of the connector file is not set"):
        connector.speak(request("ilseth"))
    connector.close()


def test_the_allowance_is_counted_and_stops(service: StandInService) -> None:
    service.behaviour.allowance = len(TEXT) + 5
    connector = open_connector(engine("tangor"))
    connector.speak(request("ilseth"))
    with pytest.raises(SynthesisFailure, match="allowance of this month") as caught:
        connector.speak(request("ilseth"))
    connector.close()
    assert caught.value.kind == "no allowance"
    assert service.behaviour.used == len(TEXT)


def test_a_reply_over_the_cap_is_dropped(service: StandInService) -> None:
    connector = open_connector(engine("tangor", largest_reply_mb=0.02))
    with pytest.raises(SynthesisFailure, match=r"passed 0\.02 MB"):
        connector.speak(request("ilseth"))
    connector.close()


# -- programs


def program(*arguments: str, resident: bool = False, timeout_s: float = 30) -> Engine:
    return Engine.model_validate(
        {
            "zest-connector": 1,
            "engine": "P",
            "voices": [{"id": "hesk", "languages": ["en-GB"]}],
            "speak": {"kind": "command", "arguments": list(arguments), "resident": resident, "timeout_s": timeout_s},
        }
    )


SCRIPT = (  # not over before anybody has looked at its memory
    "import sys, time, wave; time.sleep(0.15); w = wave.open({out}, 'wb'); w.setnchannels(1); w.setsampwidth(2); "
    "w.setframerate(8000); w.writeframes(bytes(8000)); w.close()"
)


def test_text_by_argument_or_standard_input_and_sound_by_file_or_standard_output() -> None:
    by_file = program(sys.executable, "-c", SCRIPT.format(out="sys.argv[1]"), "{output}", "{text}")
    by_pipe = program(
        sys.executable,
        "-c",
        "t = __import__('sys').stdin.read(); assert t == 'Hear; $(this)'; " + SCRIPT.format(out="sys.stdout.buffer"),
    )
    for made in (by_file, by_pipe):
        connector = open_connector(made)
        reply = connector.speak(request("hesk", "Hear; $(this)"))
        assert reply.clip.duration_s == pytest.approx(0.5)
        assert reply.timing.cold
        assert reply.timing.cpu_s is not None
        assert reply.timing.cpu_s > 0
        assert reply.timing.peak_memory_mb is not None
        assert reply.timing.peak_memory_mb > 1
        assert not connector.speak(request("hesk", "Hear; $(this)")).timing.cold


def test_text_by_file_a_working_directory_and_what_the_console_says(tmp_path: Path) -> None:
    code = (
        "import sys, os; print('warning: old driver', file=sys.stderr); "
        "assert os.path.basename(os.getcwd()) == 'here'; assert open(sys.argv[1]).read() == 'Naïve'; "
        + SCRIPT.format(out="sys.argv[2]")
    )
    (tmp_path / "here").mkdir()
    made = program(sys.executable, "-c", code, "{text_file}", "{output}")
    there = made.model_copy(update={"speak": made.speak.model_copy(update={"directory": str(tmp_path / "here")})})
    reply = open_connector(there).speak(request("hesk", "Naïve"))
    assert reply.clip.duration_s == pytest.approx(0.5)
    assert console_verdict(reply.console) == "The program wrote 1 lines; none looks like an error, and it delivered."
    assert "1 look like errors" in console_verdict("loading\nCUDA error: none found")
    gone = made.model_copy(update={"speak": made.speak.model_copy(update={"directory": str(tmp_path / "gone")})})
    with pytest.raises(SynthesisFailure, match="working directory"):
        open_connector(gone).speak(request("hesk"))


def test_a_program_that_fetches_at_its_first_start_and_ignores_being_asked_to_stop() -> None:
    code = (
        "import sys, json, signal, time; signal.signal(signal.SIGTERM, signal.SIG_IGN); "
        "[(print(json.dumps({'progress': k}), flush=True), time.sleep(0.05)) for k in range(3)]; "
        "print(json.dumps({'ready': True}), flush=True); sys.stdin.readline(); time.sleep(60)"
    )
    connector = open_connector(program(sys.executable, "-c", code, resident=True, timeout_s=1))
    began = time.monotonic()
    with pytest.raises(SynthesisFailure, match="did not answer in time and was stopped"):
        connector.speak(request("hesk"))
    assert time.monotonic() - began < 20
    connector.close()


@pytest.mark.parametrize(
    ("code", "kind", "words"),
    [
        ("import sys; print('model file is missing', file=sys.stderr); sys.exit(3)", "program", "status 3: model file"),
        ("pass", "broken sound", "wrote no sound"),
        ("print('quota exceeded')", "broken sound", "no playable sound.*plain text.*quota exceeded"),
        ("import sys; print('ERROR: voice not found', file=sys.stderr)", "broken sound", "no sound.*voice not found"),
        ("import time; time.sleep(60)", "timed out", "was stopped"),
    ],
)
def test_programs_that_fail(code: str, kind: str, words: str) -> None:
    connector = open_connector(program(sys.executable, "-c", code, timeout_s=1))
    with pytest.raises(SynthesisFailure, match=words) as caught:
        connector.speak(request("hesk"))
    assert caught.value.kind == kind


def test_a_program_that_is_not_there() -> None:
    with pytest.raises(SynthesisFailure, match="'no-such-program' was not found"):
        open_connector(program("no-such-program", "{text}")).speak(request("hesk"))


def test_cancelling_ends_the_whole_process_tree(tmp_path: Path) -> None:
    note = tmp_path / "child"
    code = (
        "import subprocess, time; p = subprocess.Popen(['sleep', '60']); "
        f"open({str(note)!r}, 'w').write(str(p.pid)); time.sleep(60)"
    )
    with pytest.raises(Cancelled):
        open_connector(program(sys.executable, "-c", code)).speak(
            request("hesk"), lambda: note.exists() and note.read_text() != ""
        )
    child = int(note.read_text())
    deadline = time.monotonic() + 60
    while time.monotonic() < deadline and psutil.pid_exists(child):
        if psutil.Process(child).status() == psutil.STATUS_ZOMBIE:
            break
        time.sleep(0.02)
    assert not psutil.pid_exists(child) or psutil.Process(child).status() == psutil.STATUS_ZOMBIE


def test_a_resident_engine_loads_once() -> None:
    found = parse_connector(demo_engine_source("rangpur").replace('"1.5"', '"0.7"'), name="r")
    connector = open_connector(found)
    first, second = connector.speak(request("hesk")), connector.speak(request("ansgild"))
    assert first.timing.cold
    assert first.timing.load_s is not None
    assert first.timing.load_s >= 0.7
    assert not second.timing.cold
    assert second.timing.last_byte_s < first.timing.last_byte_s
    with pytest.raises(SynthesisFailure, match="no voice nobody"):
        connector.speak(request("nobody"))
    assert connector.speak(request("hesk")).clip.duration_s > 1, "a refused text does not end the engine"
    connector.close()


SPEAKS = (
    "import sys, json, wave; print('libsound 3.1 loaded', flush=True); print('{\"ready\": true}', flush=True)\n"
    "for line in sys.stdin:\n"
    "    asked = json.loads(line); print('[info] speaking', flush=True)\n"
    "    w = wave.open(asked['output'], 'wb'); w.setnchannels(1); w.setsampwidth(2); w.setframerate(8000)\n"
    "    w.writeframes(bytes(32000)); w.close()\n"
    "    words = [{'word': 'Pears', 'start_ms': 500, 'end_ms': 1500}]\n"
    "    print(json.dumps({'ok': True, 'word_times': words}), flush=True)"
)


def test_lines_of_a_library_between_its_answers_do_not_end_a_resident_program() -> None:
    connector = open_connector(program(sys.executable, "-c", SPEAKS, resident=True))
    reply = connector.speak(request("hesk", "Pears"))
    connector.close()
    assert reply.clip.duration_s == 2
    assert reply.word_times == (("Pears", 0.5, 1.5),)


@pytest.mark.parametrize(("code", "words"), [
    ("import time; print('loading the model', flush=True); time.sleep(60)",
     r'to write the line \{"ready": true\}. It wrote: loading the model'),
    ("print('no licence found', flush=True)", "no licence found"),
    ("print('{\"status\": \"up\"}', flush=True)",
     r'but \{"status": "up"\}. Its first line is to be \{"ready": true\}'),
    ("import time\nwhile True: print('loading', flush=True); time.sleep(0.3)", "did not answer in time"),
    ("while True: print('.', flush=True)", r"output ended with|ended by signal|\. \| \."),
])  # fmt: skip
def test_a_resident_program_that_does_not_say_ready_is_told_what_to_write(code: str, words: str) -> None:
    connector = open_connector(program(sys.executable, "-c", code, resident=True, timeout_s=1))
    with pytest.raises(SynthesisFailure, match=words):
        connector.speak(request("hesk"))
    connector.close()


def test_a_resident_engine_that_never_speaks_is_cancelled() -> None:
    connector = open_connector(program(sys.executable, "-c", "import time; time.sleep(60)", resident=True))
    stop = threading.Event()
    threading.Timer(0.3, stop.set).start()
    with pytest.raises(Cancelled):
        connector.speak(request("hesk"), stop.is_set)
    connector.close()


# -- pieces


def test_templates_keep_types_and_unknown_braces() -> None:
    values = {"pace": 1.25, "text": 'say "this" {pace}'}
    filled = fill({"speed": "{pace}", "t": "<{text}>", "other": "{unknown}", "list": ["{pace}x"]}, values)
    assert filled == {"speed": 1.25, "t": '<say "this" {pace}>', "other": "{unknown}", "list": ["1.25x"]}


def test_first_sound_is_after_the_header() -> None:
    # source: the construction: 44 bytes of header, then 1 s of 16-bit samples at 8 kHz in four chunks
    clip = tone(300, -10, 1.0, 8_000)
    out = io.BytesIO()
    soundfile.write(out, clip.samples, clip.rate_hz, format="WAV", subtype="PCM_16")
    data = out.getvalue()
    chunks = [(0.10, data[:44]), *((0.2 + 0.1 * k, data[44 + 4000 * k : 44 + 4000 * (k + 1)]) for k in range(4))]
    first, trace = sound_trace(chunks, clip)
    assert first == 0.2
    assert [round(before, 3) for _, before in trace] == [0.0, 0.25, 0.5, 0.75]
    timing = Timing(last_byte_s=0.5, decoded_s=0.5, chunks=trace)
    assert timing.stall_free_start_s() == pytest.approx(0.2)
    assert timing.real_time_factor(1.0) == 0.5


def test_sound_is_told_from_its_content(tmp_path: Path) -> None:
    clip = tone(300, -10, 0.5, 8_000)
    data = encode_flac(clip)
    assert kind_of_sound(data) == "flac"
    assert decode(data).frames == clip.frames
    path = tmp_path / "noextension"
    write_wav(path, clip)
    assert kind_of_sound(path.read_bytes()) == "wav"
    assert is_cut_off(path.read_bytes()[:-100])
    assert not is_cut_off(path.read_bytes())
    for data, words in (
        (b"", "nothing at all"),
        (b"{}", "JSON"),
        (b"<html>", "a web page"),
        (b"abc", "plain text, not sound"),
        (b"PK\x03\x04abc", "a zip archive"),
        (b"#EXTM3U\nhttps", "a list of addresses to play"),
        (b"\x00\x01abc", "no known sound"),
    ):
        with pytest.raises(AudioError, match=words):
            decode(data)


@pytest.mark.parametrize(("form", "subtype"), [("FLAC", "PCM_16"), ("OGG", "VORBIS"), ("OGG", "OPUS"), ("MP3", None)])
def test_first_sound_of_packed_streams_is_where_a_decoder_has_its_first_frame(form: str, subtype: str | None) -> None:
    """reference: libsndfile. Up to the byte before, no decoder gives a sample; from it on one does (MP3 decoders want a
    second frame to be sure of the first, and libsndfile opens no file so short)."""
    rate = 24_000
    x = 0.3 * np.sin(np.arange(rate * 3) / 11) * (1 + 0.1 * np.random.default_rng(1).standard_normal(rate * 3))
    out = io.BytesIO()
    soundfile.write(out, x, rate, format=form, subtype=subtype)
    data = out.getvalue()
    frames = complete_frames(data)
    assert frames[-1][0] == len(data)
    assert frames[-1][1] == pytest.approx(3.0, abs=0.1)
    first = frames[0][0]

    def decodes(part: bytes) -> int:
        try:
            with soundfile.SoundFile(io.BytesIO(part)) as file:
                return len(file.read(1_000))
        except soundfile.SoundFileError as error:
            return -1 if "lost sync" in str(error) or "opening" in str(error) else 1

    assert decodes(data[: first - 1]) <= 0
    if form == "OGG":
        assert decodes(data[:first]) > 0
    clip = decode(data)
    chunks = [(0.01 * n, data[n : n + 1]) for n in range(len(data))][: first + 50]
    chunks.append((99.0, data[first + 50 :]))
    at, trace = sound_trace([*chunks, (120.0, b"")], clip)
    assert at == pytest.approx(0.01 * (first - 1))
    assert trace[-1][0] == 99.0, "an empty end marker is no chunk"


STREAMING = (
    "import sys, time, struct; o = sys.stdout.buffer; n = 8000; "
    "o.write(b'RIFF' + struct.pack('<I', 36 + 4 * n) + b'WAVEfmt '); "
    "o.write(struct.pack('<IHHIIHH', 16, 1, 1, 8000, 16000, 2, 16)"
    " + b'data' + struct.pack('<I', 4 * n)); o.flush(); "
    "[(time.sleep(0.2), o.write(bytes(n)), o.flush()) for _ in range(4)]"
)


def test_a_program_that_streams_is_timed_as_its_sound_comes() -> None:
    timing = open_connector(program(sys.executable, "-c", STREAMING)).speak(request("hesk")).timing
    assert timing is not None
    assert timing.first_sound_s is not None
    assert timing.last_byte_s - timing.first_sound_s == pytest.approx(0.6, abs=0.25)
    assert len(timing.chunks) >= 4


def test_a_programs_memory_and_cpu_are_its_own_with_those_of_what_it_starts() -> None:
    """By hand: a shell holds a few MB, whatever this process holds; a child with 80 MB counts; so does its work."""
    quiet = program("/bin/sh", "-c", "sleep 0.3; exit 3")
    ballast = np.ones(40_000_000)  # what the asking process holds is none of the program's
    watch = MemoryWatch(subprocess.Popen(["/bin/sh", "-c", "sleep 0.3"]).pid)
    time.sleep(0.2)
    held = watch.end()
    assert held is not None
    assert 0.2 < held < 20 < ballast.nbytes / 1e6
    with pytest.raises(SynthesisFailure, match="status 3"):
        open_connector(quiet).speak(request("hesk"))
    child = (
        "import time; x = bytearray(80_000_000); t = time.process_time(); "
        "[0 for _ in iter(lambda: time.process_time() - t < 0.3, False)]; time.sleep(0.1); " + SCRIPT
    )
    with_child = program(
        "/bin/sh", "-c", shlex.quote(sys.executable) + " -c " + shlex.quote(child.format(out="sys.argv[1]")) + ' "$0"',
        "{output}",
    )  # fmt: skip
    timing = open_connector(with_child).speak(request("hesk")).timing
    assert timing is not None
    assert timing.peak_memory_mb is not None
    assert timing.peak_memory_mb > 80
    assert timing.cpu_s is not None
    assert timing.cpu_s >= 0.3


def test_what_a_resident_program_says_is_kept() -> None:
    code = (
        "import sys, json, wave; print(json.dumps({'progress': 'fetching 3 of 9 files'}), flush=True); "
        "print(json.dumps({'ready': True}), flush=True)\n"
        "for line in sys.stdin:\n"
        "    asked = json.loads(line); print('a warning about ' + asked['text'], file=sys.stderr, flush=True)\n"
        "    w = wave.open(asked['output'], 'wb'); w.setnchannels(1); w.setsampwidth(2); w.setframerate(8000)\n"
        "    w.writeframes(bytes(8000)); w.close(); print(json.dumps({'ok': True}), flush=True)"
    )
    connector = open_connector(program(sys.executable, "-c", code, resident=True))
    told: list[str] = []
    connector.tell = told.append  # type: ignore[attr-defined]
    first, second = connector.speak(request("hesk", "pears")), connector.speak(request("hesk", "plums"))
    connector.close()
    assert told == ["fetching 3 of 9 files"]
    assert (first.console.strip(), second.console.strip()) == ("a warning about pears", "a warning about plums")
    assert first.characters_billed is None, "a program bills nothing it did not say"
