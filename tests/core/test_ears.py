"""Recognisers and predictors of the person's own: a program that really listens, a service that answers JSON, what they
are given and what they are not, and what comes of their answers."""

from __future__ import annotations

import json
import sys
from contextlib import suppress
from http.server import BaseHTTPRequestHandler, HTTPServer
from pathlib import Path
from threading import Event, Thread

import numpy as np
import pytest

from tests.conftest import add_demo_engine
from zestpanel.core.audio.clip import Clip, as_samples
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.choice.evidence import evaluate
from zestpanel.core.choice.profile import profile
from zestpanel.core.connectors import agreed
from zestpanel.core.errors import Cancelled, ConnectorError, InputError
from zestpanel.core.evidence.believed import believed
from zestpanel.core.evidence.figures.predicted import with_doubt
from zestpanel.core.evidence.registry import figures, weighable
from zestpanel.core.measures.words_heard import written_down
from zestpanel.core.report.measures_table import measures_table, write_measures
from zestpanel.core.runs.measuring.hearing import PREDICTED, add, hear_takes, kept, remove, unheard
from zestpanel.core.runs.measuring.measuring import measure_missing
from zestpanel.core.speech import builtin_voice
from zestpanel.core.store.project import Project
from zestpanel.core.waiting import giving_way

TEXT = "Die letzten Fröste fallen am 14. Mai."
LISTENS = """
import sys, soundfile
samples, rate = soundfile.read(sys.argv[1])
print("die letzten Fröste fallen am vierzehnten Mai" if len(samples) / rate > 1.5 else "die letzten Fröste")
"""


def command(script: Path, *more: str, hears: str = "gives: words") -> str:
    arguments = json.dumps([sys.executable, str(script), "{clip}", *more])
    return f"zest-connector: 1\nengine: Orchard ear\nhears: {{{hears}, version: '2'}}\nspeak: {{kind: command, arguments: {arguments}}}\n"  # noqa: E501


@pytest.fixture
def german(project: Project) -> Project:
    """A candidate in German with one take whole and one cut short."""
    add_demo_engine(project, "tangor")
    (candidate, *_) = project.shortlist.add(project.shortlist.engines()["Tangor"], voice="ilseth")
    (passage,) = project.texts.add([TEXT], language="de-DE")
    read = builtin_voice.speak(TEXT, voice="de")
    samples = read.samples.astype(np.float32) / 32768
    for repeat, part in enumerate((samples, samples[: read.rate_hz]), 1):
        project.takes.keep(Clip(samples=as_samples(part), rate_hz=read.rate_hz), candidate_id=candidate.id,
                           passage_version_id=passage.version_id, repeat=repeat, obtained="import")  # fmt: skip
    measure_missing(project.takes, project.texts)
    return project


@pytest.mark.stranger
def test_a_recogniser_of_another_language_tells_words_as_the_built_in_one_does(german: Project, tmp_path: Path) -> None:
    script = tmp_path / "listens.py"
    script.write_text(LISTENS, encoding="utf-8")
    ear = add(german.documents, command(script, hears="gives: words, languages: [de]"), "ear.yaml")
    whole, cut = german.takes.all()
    assert german.takes.measured([whole.id])[whole.id].values["words_wrong"] is None  # the built-in one hears English
    done, problems = hear_takes(german.takes, german.texts, ear)
    assert done == 0
    assert "agreed" in problems[0]
    agreed.agree(ear)
    assert hear_takes(german.takes, german.texts, ear) == (2, [])
    heard = german.takes.measured([whole.id, cut.id], tracks=True)
    assert heard[whole.id].values["words_wrong"] == 0, "'14.' may be read as 'vierzehnten'"
    assert heard[whole.id].values["heard_by"] == "Orchard ear 2"
    assert heard[cut.id].values["words_missing"] == 4
    assert [one.kind for one in heard[cut.id].segments if one.kind.startswith("word")] == ["word missing"] * 3
    assert unheard(german.takes, german.texts, ear) == []
    # measuring again leaves it, and a new version listens anew
    measure_missing(german.takes, german.texts)
    assert german.takes.measured([whole.id])[whole.id].values["words_wrong"] == 0
    newer = add(german.documents, command(script).replace("'2'", "'3'"), "ear.yaml")
    assert len(unheard(german.takes, german.texts, newer)) == 2
    assert list(kept(german.documents)) == ["Orchard ear"]
    remove(german.documents, "Orchard ear")
    assert kept(german.documents) == {}


def test_a_program_is_given_the_sound_alone(german: Project, tmp_path: Path) -> None:
    """Neither text, candidate nor project: a path that says nothing, and a language."""
    script = tmp_path / "tells.py"
    script.write_text("import sys, os; print(sys.argv[1:], sorted(os.environ), os.getcwd())", encoding="utf-8")
    ear = add(german.documents, command(script, "{language}"), "ear.yaml")
    agreed.agree(ear)
    hear_takes(german.takes, german.texts, ear)
    said = german.takes.measured()[german.takes.all()[0].id].values["heard"]
    assert "clip.wav" in said
    assert "de-DE" in said
    for word in ("Test.zest", "ilseth", "Tangor", "letzten"):
        assert word not in said


@pytest.mark.parametrize(
    ("body", "said"),
    [
        ("import time; time.sleep(30)", "did not end within"),
        ("print('x' * 9_000_000)", "more than"),
        ("raise SystemExit('no model')", "no model"),
        ("print('warm')", "was to give a figure, and said: 'warm'"),
        ("print('nan')", "was to give a figure"),
    ],
)
def test_what_goes_wrong_is_said_and_nothing_is_kept(german: Project, tmp_path: Path, body: str, said: str) -> None:
    script = tmp_path / "odd.py"
    script.write_text(body, encoding="utf-8")
    text = command(script, hears="gives: figure").replace("kind: command,", "kind: command, timeout_s: 2,")
    ear = add(german.documents, text, "ear.yaml")
    agreed.agree(ear)
    before = german.takes.measured()
    done, problems = hear_takes(german.takes, german.texts, ear)
    assert done == 0
    assert said in problems[0]
    assert german.takes.measured() == before


def test_a_program_that_listens_on_is_left_when_nobody_waits(german: Project, tmp_path: Path) -> None:
    """As when the window closes, which waits for the work."""
    script = tmp_path / "slow.py"
    script.write_text("import time; time.sleep(600)", encoding="utf-8")
    ear = add(german.documents, command(script), "ear.yaml")
    agreed.agree(ear)
    given_up = Event()

    def work() -> None:
        with suppress(Cancelled), giving_way(given_up.is_set):
            hear_takes(german.takes, german.texts, ear)

    thread = Thread(target=work, daemon=True)
    thread.start()
    thread.join(1.0)
    assert thread.is_alive()
    given_up.set()
    thread.join(20.0)
    assert not thread.is_alive()


class _Ear(BaseHTTPRequestHandler):
    seen: list[tuple[str, bytes]] = []  # noqa: RUF012 of one test

    def do_POST(self) -> None:
        body = self.rfile.read(int(self.headers["Content-Length"]))
        self.seen.append((self.headers.get("Authorization", ""), body))
        data = json.dumps({"result": {"score": 3.25}}).encode()
        self.send_response(200)
        self.send_header("Content-Length", str(len(data)))
        self.end_headers()
        self.wfile.write(data)

    def log_message(self, *_: object) -> None:
        pass


def test_a_predictor_over_http_is_a_figure_that_is_never_weighed(
    german: Project, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("ZEST_SECRET_ORCHARD", "a-secret-of-the-test")
    server = HTTPServer(("127.0.0.1", 0), _Ear)
    Thread(target=server.serve_forever, daemon=True).start()
    try:
        text = f"""
zest-connector: 1
engine: Orchard guess
hears: {{gives: figure, version: "1", answer: json result.score}}
speak:
  kind: http
  address: http://127.0.0.1:{server.server_port}/guess
  headers: {{Authorization: "Bearer {{secret}}"}}
  secret: orchard
  body_as: multipart
  files: {{sound: "{{clip}}"}}
  body: {{language: "{{language}}"}}
"""
        ear = add(german.documents, text, "guess.yaml")
        assert any("sends clips of takes to" in use.words for use in agreed.uses_of(ear))
        agreed.agree(ear)
        assert hear_takes(german.takes, german.texts, ear) == (2, [])
    finally:
        server.shutdown()
    key, body = _Ear.seen[0]
    assert key == "Bearer a-secret-of-the-test"
    assert b"RIFF" in body
    assert b'filename="clip.wav"' in body
    assert b"letzten" not in body
    found = evaluate(german)
    (row,) = found.rows.values()
    name = PREDICTED + "Orchard guess"
    assert figures()[name].read(row, None).value == 3.25
    assert name in figures()
    assert name not in {one.name for one in weighable()}
    assert figures()[name].start is None
    assert believed(found.rows.values(), found.scores) == []  # nobody has rated anything
    said = {one.words for one in profile(found, row.candidate.id, german.brief)}
    assert "predicted by Orchard guess, untested here" in said
    assert with_doubt(figures()[name], 5) == "predicted by Orchard guess"
    rows = measures_table(german)
    assert [one[name] for one in rows] == [3.25, 3.25]


def test_files_that_listen_and_files_that_speak_are_told_apart(german: Project, tmp_path: Path) -> None:
    script = tmp_path / "listens.py"
    script.write_text(LISTENS, encoding="utf-8")
    ear = parse_connector(command(script), name="ear.yaml")
    with pytest.raises(InputError, match="listens, and makes no sound"):
        german.shortlist.add_engine(ear, command(script), "ear.yaml")
    speaks = "zest-connector: 1\nengine: X\nvoices: [{id: a, languages: [en]}]\nspeak: {kind: command, arguments: [x]}"
    with pytest.raises(InputError, match="does not listen"):
        add(german.documents, speaks, "x.yaml")
    with pytest.raises(ConnectorError, match=r"nothing fills \{text\}"):
        add(german.documents, command(script, "{text}"), "ear.yaml")


def test_a_figure_that_was_written_as_one_counts_as_it_may_be_read() -> None:
    heard = written_down("It was 1984, on the 5th.", "en", "it was 1984 on the 5th", by="x")
    assert not isinstance(heard, str)
    assert heard.wrong_percent == 0
    assert all(pair.said == pair.heard for pair in heard.pairs)


def test_the_table_of_measures_comes_as_it_is(german: Project, tmp_path: Path) -> None:
    rows = measures_table(german)
    assert [row["scored"] for row in rows] == [True, True]
    write_measures(rows, tmp_path / "m.json")
    assert json.loads((tmp_path / "m.json").read_text())[0]["pitch_hz"] == rows[0]["pitch_hz"]
    write_measures(rows, tmp_path / "m.csv")
    head, first, *_ = (tmp_path / "m.csv").read_text("utf-8-sig").splitlines()
    assert dict(zip(head.split(","), first.split(","), strict=False))["pitch_hz"] == f"{rows[0]['pitch_hz']:.6g}"
    with pytest.raises(InputError, match="neither"):
        write_measures(rows, tmp_path / "m.xls")
    try:
        from pyarrow import parquet
    except ImportError:
        with pytest.raises(InputError, match="pyarrow"):
            write_measures(rows, tmp_path / "m.parquet")
        assert not (tmp_path / "m.parquet").exists()
    else:
        write_measures(rows, tmp_path / "m.parquet")
        assert parquet.read_table(tmp_path / "m.parquet").to_pylist()[0]["pitch_hz"] == rows[0]["pitch_hz"]
