"""Values that are kept after they were worked out of the database: a reader never brings an old one back."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from tests.conftest import add_command_engine
from zestpanel.core.sending.choices import SendingChoices
from zestpanel.core.store.project import Project
from zestpanel.core.text.lexicon.lexicon import Entry


def between(monkeypatch: pytest.MonkeyPatch, kept: object, write: Callable[[], object]) -> None:
    """The next time the value is read, somebody writes after the reading and before it is kept."""
    work = kept._work  # type: ignore[attr-defined]

    def interrupted() -> object:
        value = work()
        monkeypatch.setattr(kept, "_work", work)
        write()
        return value

    monkeypatch.setattr(kept, "_work", interrupted)


def test_a_reader_beside_a_writer_brings_nothing_old_back(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    after = SendingChoices(spell_out=("money",))
    between(monkeypatch, project.sending._choices, lambda: project.sending.put_choices("A", after))
    project.sending.choices("A")
    assert project.sending.choices("A") == after
    entry = Entry(word="quince", language="en", ipa="kwɪns")
    between(monkeypatch, project.pronunciations._all, lambda: project.pronunciations.put([entry]))
    project.pronunciations.all()
    assert [e.word for e in project.pronunciations.all()] == ["quince"]
    between(monkeypatch, project.shortlist._engines, lambda: add_command_engine(project))
    project.shortlist.engines()
    assert list(project.shortlist.engines()) == ["Kitchen Table"]


def test_what_another_program_wrote_is_seen(project: Project) -> None:
    project.shortlist.engines(), project.pronunciations.all(), project.sending.choices("A")
    other = Project.open(project.folder)
    before = project.changes()
    add_command_engine(other)
    other.pronunciations.put([Entry(word="quince", language="en", ipa="kwɪns")])
    other.sending.put_choices("A", SendingChoices(spell_out=("money",)))
    other.close()
    assert project.changes() != before
    project.look_again()
    assert list(project.shortlist.engines()) == ["Kitchen Table"]
    assert [e.word for e in project.pronunciations.all()] == ["quince"]
    assert project.sending.choices("A").spell_out == ("money",)
    now = project.changes()
    project.documents.put("drafts", {})
    assert project.changes() == now, "one's own writing is no news"


def test_scripts_kept_from_many_threads_are_all_kept(project: Project) -> None:
    from concurrent.futures import ThreadPoolExecutor

    with ThreadPoolExecutor(8) as pool:
        list(pool.map(lambda n: project.scripts.keep(f"{n}.txt", f"Text {n}.", language="en"), range(24)))
    kept = project.scripts.all()
    assert sorted(script.name for script in kept) == sorted(f"{n}.txt" for n in range(24))
    assert len({script.number for script in kept}) == 24
    assert {project.scripts.text(script.number) for script in kept} == {f"Text {n}." for n in range(24)}
