"""The project folder: what is kept, what is never rewritten, and what a crash leaves."""

from __future__ import annotations

import sqlite3
import subprocess
import sys
from contextlib import suppress
from pathlib import Path

import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import create_engine

from tests.conftest import add_command_engine, pretend_take
from tests.old_projects import project_of
from zestpanel.core.errors import InputError, ProjectError
from zestpanel.core.store.database import FILE
from zestpanel.core.store.opening import REVISIONS
from zestpanel.core.store.project import Project
from zestpanel.core.store.schema import metadata


@pytest.mark.usefixtures("made_anew")
def test_migrations_make_exactly_the_schema(project: Project) -> None:
    engine = create_engine(f"sqlite:///{project.folder / FILE}")
    with engine.connect() as connection:
        assert compare_metadata(MigrationContext.configure(connection), metadata) == []
    engine.dispose()


def test_a_project_of_the_first_format_is_opened_after_a_backup(tmp_path: Path) -> None:
    folder = project_of(tmp_path / "Old.zest", "0001")
    opened = Project.open(folder)
    assert opened.brief.channel == "Kept"
    assert opened.notes.setup() == []
    opened.close()
    assert (folder / f"project.before-{REVISIONS[-1]}.sqlite").exists()
    Project.open(folder).close()


def test_everything_moves_with_the_folder(project: Project, tmp_path: Path) -> None:
    add_command_engine(project)
    candidate = project.shortlist.add(project.shortlist.engines()["Kitchen Table"], voice="hesk")[0]
    passage = project.texts.add(["Some words."], language="en-GB")[0]
    pretend_take(project, candidate.id, passage.version_id)
    project.close()
    moved = project.folder.rename(tmp_path / "Elsewhere.zest")
    again = Project.open(moved)
    take = again.takes.all()[0]
    assert again.takes.load(take).duration_s == pytest.approx(take.duration_s)
    assert again.brief.channel == "Test"
    again.close()


def test_the_same_sound_is_kept_once_even_from_many_threads(project: Project) -> None:
    from concurrent.futures import ThreadPoolExecutor

    add_command_engine(project)
    candidate = project.shortlist.add(project.shortlist.engines()["Kitchen Table"], voice="hesk")[0]
    version = project.texts.add(["Some words."], language="en-GB")[0].version_id
    with ThreadPoolExecutor(8) as pool:
        list(pool.map(lambda k: pretend_take(project, candidate.id, version, repeat=k), range(40)))
    assert len(project.takes.all()) == 40
    assert len({take.clip for take in project.takes.all()}) == 1
    assert len(list((project.folder / "clips").iterdir())) == 1


def test_a_newer_project_is_left_alone(project: Project) -> None:
    project.close()
    path = project.folder / FILE
    with sqlite3.connect(path) as connection:
        connection.execute("UPDATE alembic_version SET version_num = '9999'")
    connection.close()
    before = path.read_bytes()
    with pytest.raises(ProjectError, match=r"newer Zest Panel\. Nothing was changed"):
        Project.open(project.folder)
    assert path.read_bytes() == before


def test_damage_and_strangers_get_one_sentence(tmp_path: Path) -> None:
    folder = tmp_path / "Broken.zest"
    folder.mkdir()
    with pytest.raises(ProjectError, match=r"no Zest Panel project"):
        Project.open(folder)
    (folder / FILE).write_bytes(b"not a database at all" * 100)
    with pytest.raises(ProjectError, match="damaged or no database"):
        Project.open(folder)
    with pytest.raises(ProjectError, match="already there and not empty"):
        Project.create(folder)


def test_editing_makes_a_version_and_going_back_revives_its_takes(project: Project) -> None:
    passage = project.texts.add(["One, two."], language="en-GB")[0]
    edited = project.texts.edit(passage.id, "One two.")
    assert (edited.number, edited.version_id != passage.version_id) == (2, True)
    back = project.texts.edit(passage.id, "One, two.")
    assert back.version_id == passage.version_id, "a comma is a parameter, and the same text is the same version"
    with pytest.raises(InputError, match="needs words"):
        project.texts.edit(passage.id, " – ")
    assert project.texts.get(passage.id).text == "One, two."


def test_adding_passages_is_all_or_none(project: Project) -> None:
    with pytest.raises(InputError, match=r"Passage 2 of 3 holds no words\. Nothing was added"):
        project.texts.add(["good", "…", "good too"], language="en-GB")
    assert project.texts.all() == []


def test_undo_takes_back_and_a_refused_edit_is_not_remembered(project: Project) -> None:
    brief = project.brief
    project.set_brief(brief.model_copy(update={"channel": "Other"}))
    assert project.history.undo_label == "brief"
    project.history.undo()
    assert project.brief.channel == "Test"
    project.history.redo()
    assert project.brief.channel == "Other"

    def refuse() -> None:
        raise InputError("no")

    with pytest.raises(InputError):
        project.history.run("refused", refuse, lambda: None)
    assert project.history.undo_label == "brief"


def test_a_tuned_voice_brings_its_factory_twin(project: Project) -> None:
    from tests.conftest import add_demo_engine

    add_demo_engine(project, "tangor")
    tangor = project.shortlist.engines()["Tangor"]
    added = project.shortlist.add(tangor, voice="ilseth", settings={"pace": 0.9})
    assert [c.factory for c in added] == [True, False]
    assert added[1].settings == {"pace": 0.9, "liveliness": 1.0, "mood": "plain"}
    assert project.shortlist.add(tangor, voice="ilseth", settings={"pace": 0.9}) == []
    assert len(project.shortlist.add(tangor, voice="corwick", settings={"pace": 0.9})) == 1
    with pytest.raises(InputError, match=r"pace goes from 0\.7 to 1\.4"):
        project.shortlist.add(tangor, voice="corwick", settings={"pace": 9})
    assert added[0].model_version == "4.2"
    assert (added[0].plan, added[0].route, added[0].created != "") == ("Conservatory", "programming interface", True)


def test_ratings_are_only_added_and_the_last_one_stands(project: Project) -> None:
    add_command_engine(project)
    candidate = project.shortlist.add(project.shortlist.engines()["Kitchen Table"], voice="hesk")[0]
    version = project.texts.add(["Words."], language="en-GB")[0].version_id
    listener = project.panel.add_listener("A", languages=["en"])
    row = {"listener_id": listener.id, "candidate_id": candidate.id, "passage_version_id": version, "origin": "file"}
    project.answers.add_ratings([{**row, "score": 2.0}])
    project.answers.add_ratings([{**row, "score": 4.0}])
    assert [r.score for r in project.answers.ratings()] == [4.0]
    project.answers.add_ratings([{**row, "score": 4.0, "withdrawn": True}])
    assert project.answers.ratings() == []


def test_killed_at_any_instant_it_opens_clean(tmp_path: Path) -> None:
    """Every finished take is there, nothing is half-written, the service was asked nothing that the journal does not
    know of, and what may have been paid is listed, not asked again. ``./zest bench kills`` does it 200 times."""
    command = [sys.executable, "-m", "tests.kill_loop", str(tmp_path / "Killed.zest"), "12", "7"]
    done = subprocess.run(command, cwd=Path(__file__).parents[2], capture_output=True, text=True, timeout=240)
    assert done.returncode == 0, done.stderr[-2000:]
    assert done.stdout.startswith("12 kills")


def test_a_transaction_within_another_is_a_part_of_it(project: Project) -> None:
    """All is undone with the outer one; an inner one that fails is undone alone."""
    database, documents = project._database, project.documents

    def kept(name: str, *, fails: bool) -> None:
        with database.writing():
            documents.put(name, 1)
            if fails:
                raise RuntimeError(name)

    def both(*, outer_fails: bool) -> None:
        with database.writing():
            kept("outer", fails=False)
            with suppress(RuntimeError):
                kept("inner that fails", fails=True)
            kept("inner", fails=False)
            if outer_fails:
                raise RuntimeError("outer")

    with pytest.raises(RuntimeError, match="outer"):
        both(outer_fails=True)
    assert [documents.get(name) for name in ("outer", "inner", "inner that fails")] == [None, None, None]
    both(outer_fails=False)
    assert [documents.get(name) for name in ("outer", "inner", "inner that fails")] == [1, 1, None]
