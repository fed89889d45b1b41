"""A project with clips that are told by their pitch, and tests of it that are short to hear."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.browser import Browser, browser
from tests.conftest import add_demo_engine, pretend_take
from tests.core.test_listening_kinds import asked_of
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.store.project import Project


@pytest.fixture
def heard(project: Project) -> Project:
    """Two candidates and a person, two passages of each; a candidate's clips are of 200 Hz and 50 more for each."""
    for name in ("tangor", "citrange", "rangpur"):
        add_demo_engine(project, name)
    project.shortlist.add(project.shortlist.engines()["Tangor"], voice="ilseth")
    project.shortlist.add(project.shortlist.engines()["Citrange"], voice="linnoway")
    project.shortlist.add(project.shortlist.engines()["Rangpur"], voice="hesk")
    for passage in project.texts.add(["One line here.", "Two lines there.", "Three of them."], language="en-GB"):
        for candidate in project.shortlist.candidates():
            pretend_take(project, candidate.id, passage.version_id, hz=200 + 50 * candidate.id)
    return project


def asked(project: Project, kind: str, **more: object) -> int:
    candidates = [c.id for c in project.shortlist.candidates()]
    given: dict[str, object] = {
        "candidate_ids": tuple(candidates), "training": 0, "must_hear": 0.3, "level_check": False,
        "passage_ids": tuple(p.id for p in project.texts.all()), "reference_id": candidates[-1],
        "content": asked_of(p.version_id for p in project.texts.all()) if kind == "content" else (),
    }  # fmt: skip
    if kind in ("ACR", "preference", "CCR", "ABX", "yes or no", "dictation", "content", "multi-stimulus"):
        given["reference_id"] = 0
    return project.panel.add_test(kind, TestSettings(**{**given, **more}).as_document())  # type: ignore[arg-type]


@pytest.fixture
def window(tmp_path: Path) -> Iterator[Browser]:
    with browser(tmp_path / "browser") as one:
        yield one
