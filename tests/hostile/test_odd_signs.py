"""Signs, names and folders that no program expects: one sentence in a run, a line heard and every verb alike; nothing
that a name says is done by an export, the clipboard or the record."""

from __future__ import annotations

import csv
import io
import os
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import COMMAND_ENGINE, pretend_take, tone
from tests.core.test_connector_kinds import ASKED, made
from tests.small_service import Answer, SmallService, as_json, wav
from zestpanel.command_line import run as verb
from zestpanel.core.audio.files import write_wav
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.connectors.opening import open_connector
from zestpanel.core.errors import InputError, SynthesisFailure
from zestpanel.core.report.catalogue_file import voices_as_csv, voices_from_csv
from zestpanel.core.report.record import write_record
from zestpanel.core.runs.execute.auditioning import line_for
from zestpanel.core.store.project import Project
from zestpanel.core.table_rows import as_tsv, table_rows


def program(code: str, *arguments: str, **more: Any) -> Engine:
    return made({"kind": "command", "arguments": ["${ZEST_PYTHON}", "-c", code, *arguments], **more})


def failure_of(engine: Engine, **asked: Any) -> SynthesisFailure:
    from dataclasses import replace

    connector = open_connector(engine)
    try:
        with pytest.raises(SynthesisFailure) as caught:
            connector.speak(replace(ASKED, **asked))
    finally:
        connector.close()
    assert "\n" not in str(caught.value)
    return caught.value


FILLS = (
    "import os, sys; d = sys.argv[1]\nfor n in range(9000): open(f'{d}/{n}', 'w').close()\nimport time; time.sleep(20)"
)
HUGE = "import sys, time; f = open(sys.argv[1] + '/a', 'wb'); f.truncate(700_000_000); f.flush(); time.sleep(20)"


@pytest.mark.parametrize("code", [FILLS, HUGE])
def test_the_folder_of_a_program_is_watched_as_a_whole(code: str) -> None:
    failure = failure_of(program(code, "{output_folder}", "{text}", timeout_s=15))
    assert "and was stopped" in failure.what
    assert "did not end within" not in failure.what


@pytest.mark.parametrize(("engine", "asked", "says"), [
    (program("1", "--", "{text}"), {"text": "a\0b"}, "no program can be given"),
    (program("print('[' * 100_000)", resident=True), {}, "ended with status|did not say"),
    (program("import sys; print('{\"ready\": true}', flush=True); input(); print('[' * 100_000, flush=True)",
             resident=True), {}, "ended with"),
])  # fmt: skip
def test_what_no_program_can_be_given_or_says_is_a_sentence(engine: Engine, asked: dict[str, Any], says: str) -> None:
    import re

    assert re.search(says, failure_of(engine, **asked).what)


def test_a_token_that_no_head_can_carry_is_a_sentence() -> None:
    """RFC 9110, section 5.5: a field's value is in ASCII."""
    with SmallService(
        lambda heard: as_json({"access_token": "ünï"}) if heard.path == "/t" else Answer(wav())
    ) as service:
        engine = made({"address": service.address, "secret": "", "headers": {"Authorization": "Bearer {token}"},
                       "token": {"address": service.address + "/t"}})  # fmt: skip
        assert "a sign that no request can carry" in failure_of(engine).what
        assert [heard.path for heard in service.heard] == ["/t"]


def test_half_a_character_is_sent_nowhere(project: Project) -> None:
    with pytest.raises(InputError, match=r"half of a character \(\[U\+D800\]\).*Nothing was sent"):
        line_for(project.sending, project.own_voices, program("1", "{text}"), "a\ud800b", voice="ilseth",
                 model="default", plan="", settings={}, language="en-GB")  # fmt: skip


def test_names_and_words_that_are_not_in_utf8_are_sentences(tmp_path: Path) -> None:
    """Names of files are bytes; an encoding that the terminal does not have loses signs, not the verb."""
    folder, odd = tmp_path / "P.zest", os.fsdecode(os.fsencode(tmp_path) + b"/k\xff.yaml")
    Path(odd).write_text(COMMAND_ENGINE)
    environment = {**os.environ, "PYTHONIOENCODING": "latin-1"}

    def said(*arguments: str) -> subprocess.CompletedProcess[bytes]:
        return subprocess.run([sys.executable, "-m", "zestpanel", *arguments], capture_output=True, env=environment)

    assert said("new", str(folder), "--channel", "Зима 冬").returncode == 0
    assert said("import", str(folder), odd, "--shortlist").returncode == 0
    shown = said("brief", str(folder))
    assert (shown.returncode, shown.stderr) == (0, b"")
    heard = said("hear", str(folder), "Kitchen Table", "hesk", os.fsdecode(b"a\xffb"))
    assert heard.returncode == 2
    assert b"is not in UTF-8. Nothing was done." in heard.stderr
    assert b"Traceback" not in heard.stderr


FORMULA = '=HYPERLINK("http://x")'


def test_no_cell_starts_a_formula_and_all_come_back_as_they_were() -> None:
    """OWASP, CSV injection."""
    voices = [{"id": FORMULA, "name": "+1", "languages": ["en-GB"]}, {"id": "b", "name": "'=a", "languages": ["en-GB"]}]
    engine = made({"kind": "command", "arguments": ["true"]}).model_copy(
        update={"voices": Engine.model_validate({"zest-connector": 1, "engine": "E", "voices": voices,
                                                 "speak": {"kind": "heard of"}}).voices}
    )  # fmt: skip
    text = voices_as_csv([engine])
    cells = [cell for row in csv.reader(io.StringIO(text)) for cell in row]
    assert not [cell for cell in cells if cell[:1] in ("=", "@", "\t", "\r")]
    assert voices_from_csv(text, name="v")["E"][0].id == FORMULA
    assert as_tsv([[FORMULA, "-5", "@x"]]) == f"'{FORMULA}\t-5\t'@x"
    assert table_rows("a\n'=b\n'c\n", name="t", kept="")[0]["a"] == "=b"
    assert table_rows("a\n'=b\n'c\n", name="t", kept="")[1]["a"] == "'c"


def test_the_record_holds_no_sign_that_turns_others_round(project: Project, tmp_path: Path) -> None:
    source = COMMAND_ENGINE.replace("Kitchen Table", '"Kit\\u202Echen"')
    (tmp_path / "k.yaml").write_text(source)
    assert verb(["import", str(project.folder), str(tmp_path / "k.yaml"), "--shortlist"]) == 0
    project.look_again()
    passage = project.texts.add(["One line."], language="en-GB", titles=["T\u2066itle"])[0]
    for candidate in project.shortlist.candidates():
        pretend_take(project, candidate.id, passage.version_id)
    text = write_record(project, tmp_path / "record").record.read_text("utf-8")
    assert "[U+202E]" in text
    assert not set(text) & set("\u202e\u2066\x1b\x07")


def test_what_is_no_regular_file_is_brought_in_nowhere(project: Project, tmp_path: Path) -> None:
    for name in ("e.yaml", "s.txt", "r.csv"):
        os.mkfifo(tmp_path / name)
    folder = str(project.folder)
    for arguments in (["import", folder, str(tmp_path / "e.yaml")], ["import", folder, str(tmp_path / "s.txt")],
                      ["catalogue", folder, "--take-in", str(tmp_path / "e.yaml")],
                      ["ratings", folder, str(tmp_path / "r.csv")]):  # fmt: skip
        assert verb(arguments) == 2
    write_wav(tmp_path / "a.wav", tone(220, -12, 0.2))
