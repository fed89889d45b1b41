"""Measures are declared in one place each: what a family says of itself is what pages, tables and docs show."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from tests import documents
from tests.conftest import add_command_engine, pretend_take
from zestpanel.core.analysis.changes.comparing import yardsticks
from zestpanel.core.analysis.sweeps.results import swept
from zestpanel.core.audio.clip import Clip
from zestpanel.core.choice.evidence import evaluate
from zestpanel.core.evidence.registry import figures
from zestpanel.core.measures import registry
from zestpanel.core.measures.declared import Allowance, Family, Material, Measure, Values
from zestpanel.core.report.tables import evidence_table
from zestpanel.core.runs.measuring.measuring import measure_and_keep, measure_missing
from zestpanel.core.store.project import Project
from zestpanel.desk.viewmodels.shading import choices as shading_choices

METHODS = Path(__file__).parents[2] / "docs" / "methods.md"


def crest(of: Material) -> Values:
    samples = of.clip.mono()
    return {"crest_db": float(20 * np.log10(np.abs(samples).max() / np.sqrt((samples.astype(float) ** 2).mean())))}


CREST = Family(
    name="crest", version=1, place=35, values=crest,
    measures=(Measure(name="crest_db", words="crest factor", label="crest factor, dB", short="crest", unit="dB",
                      rule="peak over root mean square", source="common practice, no source", shown=True, swept=True,
                      change=Allowance(over=1.0, unit="dB")),),
)  # fmt: skip


def _never(of: Material) -> Values:
    raise AssertionError("this family was measured already")


@pytest.fixture
def with_crest(monkeypatch: pytest.MonkeyPatch) -> Iterator[Callable[[], None]]:
    """A family more, once it is called, as a file in ``families`` would bring it; the others cannot measure then."""
    found = [CREST, *(replace(family, values=_never) for family in registry.families())]
    cached = (registry.measures, registry.versions, registry.family_of, yardsticks, figures)

    def bring() -> None:
        monkeypatch.setattr(registry, "families", lambda: tuple(sorted(found, key=lambda family: family.place)))
        for one in cached:
            one.cache_clear()

    yield bring
    monkeypatch.undo()
    for one in cached:
        one.cache_clear()


def test_documents_say_what_the_code_declares() -> None:
    for path, text in documents.all_of_them().items():
        assert path.read_text("utf-8") == text, "run: python -m tests.documents"


def test_a_family_is_complete() -> None:
    names = [name for family in registry.families() for name in family.keys]
    assert len(names) == len(set(names)), "two families store under one name"
    for one in registry.measures().values():
        assert one.rule
        assert one.source
        assert not one.shown or one.short or one.shares


def test_a_measure_that_is_declared_arrives_everywhere(with_crest: Callable[[], None]) -> None:
    """A sine's crest factor is the square root of two: 3.01 dB."""
    with_crest()
    t = np.arange(16_000) / 16_000
    clip = Clip(samples=(0.5 * np.sin(2 * np.pi * 100 * t)).astype(np.float32)[:, None], rate_hz=16_000)
    found = registry.measure(clip, "One line.", "en-GB", only=["crest"])
    assert found.values == {"crest_db": pytest.approx(3.01, abs=0.01)}
    assert "crest_db" in registry.listed()
    assert figures()["measure crest_db"].column == "crest db"
    assert "measure crest_db" in shading_choices()
    assert yardsticks()["crest_db"].words == "crest factor"
    assert swept()["crest_db"] == ("crest factor, dB", 1)
    assert "| crest factor | dB | peak over root mean square |" in registry.as_table()


def test_a_new_family_is_measured_and_the_others_stand(project: Project, with_crest: Callable[[], None]) -> None:
    add_command_engine(project)
    (candidate, *_) = project.shortlist.add(project.shortlist.engines()["Kitchen Table"], voice="hesk")
    (passage,) = project.texts.add(["One line."], language="en-GB")
    pretend_take(project, candidate.id, passage.version_id)
    (take,) = project.takes.all()
    before = measure_and_keep(project.texts, project.takes, take)
    assert project.takes.unmeasured(registry.versions()) == []
    with_crest()
    assert project.takes.unmeasured(registry.versions()) == [take]
    assert measure_missing(project.takes, project.texts) == (1, [])
    after = project.takes.measured([take.id])[take.id]
    assert {name: value for name, value in after.values.items() if name != "crest_db"} == before.values
    assert isinstance(after.values["crest_db"], float)
    assert after.versions == {**before.versions, "crest": 1}
    assert (after.words, after.words_by) == (before.words, before.words_by)
    head, row = evidence_table(evaluate(project))
    assert row[head.index("crest db")] == f"{after.values['crest_db']:.1f}"


def test_figures_from_before_there_were_families_are_kept(project: Project) -> None:
    """A row of the last version of all measures together needs what has changed since; one before it needs all."""
    add_command_engine(project)
    (candidate, *_) = project.shortlist.add(project.shortlist.engines()["Kitchen Table"], voice="hesk")
    (passage,) = project.texts.add(["One line."], language="en-GB")
    pretend_take(project, candidate.id, passage.version_id)
    (take,) = project.takes.all()
    measure_and_keep(project.texts, project.takes, take)
    for version, wanted in (
        (
            5,
            [
                "speaking rate",
                "rhythm",
                "pitch",
                "movement",
                "loudness",
                "silence",
                "faults",
                "file",
                "words heard",
                "drift",
            ],
        ),
        (4, list(registry.versions())),
    ):
        with project._database.writing() as connection:
            connection.exec_driver_sql(f"UPDATE measures SET version = {version}, families = NULL")
        assert registry.outdated(project.takes.measured()[take.id]) == wanted
        assert bool(project.takes.unmeasured(registry.versions())) == bool(wanted)
