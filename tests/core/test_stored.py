"""Documents of a project: each by its type, whoever wrote the project."""

from __future__ import annotations

import importlib
import json
import pkgutil
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import zestpanel.core
import zestpanel.demo
from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.mark import DeliveryMark
from zestpanel.core.errors import ProjectError
from zestpanel.core.store.project import BRIEF, Project
from zestpanel.core.store.small_documents import DRAFTS, PINNED, Draft
from zestpanel.core.store.stored import ASIDE, Stored


def every() -> dict[str, Stored[Any]]:
    """All documents there are, by name."""
    found: dict[str, Stored[Any]] = {}
    for package in (zestpanel.core, zestpanel.demo):
        for module in pkgutil.walk_packages(package.__path__, f"{package.__name__}."):
            if ".migrations" not in module.name:
                held = vars(importlib.import_module(module.name)).values()
                found |= {one.name: one for one in held if isinstance(one, Stored)}
    return found


DOCUMENTS = every()
JSON = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats(allow_nan=False) | st.text(max_size=6),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=6), inner, max_size=3),
    max_leaves=8,
)


def test_all_documents_are_known() -> None:
    assert set(DOCUMENTS) >= {
        "brief", "criteria", "decisions", "recipes", "spending caps", "schedule", "scripts", "script ", "hard parts",
        "sending", "dialogues", "survey maps", "by hand: ", "voices of ", "plans of ", "former plans of ", "drafts",
        "pinned lanes", "repeats", "facts age", "claims", "outside votes", "scenario",
    }  # fmt: skip


@pytest.mark.parametrize("name", sorted(DOCUMENTS))
@given(value=JSON)
def test_whatever_stands_in_a_project_is_understood_forgiven_or_refused_in_a_sentence(name: str, value: Any) -> None:
    stored = DOCUMENTS[name]
    refused = ""
    try:
        found = stored.understood(value)
    except ProjectError as error:
        refused = str(error)
    if refused:
        assert f"project's {name} make no sense" in refused
        assert name == "spending caps"  # which hold, or nothing is asked for
        return
    again = json.loads(json.dumps(stored.as_json(found)))
    assert stored.understood(again) == found  # what is written is what is read


def test_what_makes_no_sense_is_not_written_over(project: Project) -> None:
    project.documents.put("brief", {"channel": 7})
    assert project.brief == Brief()
    assert DRAFTS.understood({"1": {"marks": []}}) == {}
    assert project.documents.get("brief") == {"channel": 7}
    project.set_brief(Brief(channel="Other"))
    project.documents.put("pinned lanes", "none")
    assert PINNED.read(project.documents) == ()
    PINNED.write(project.documents, (3,))
    assert project.documents.get(f"{ASIDE}brief") == {"channel": 7}
    assert project.documents.get(f"{ASIDE}pinned lanes") == "none"


def test_drafts_of_earlier_programs_are_read() -> None:
    found = DRAFTS.understood({"4": "Half a sent", "5": {"text": "A pause", "marks": [[1, 1, "pause", "200 ms"]]}})
    assert found["4"] == Draft(text="Half a sent")
    assert found["5"].delivery_marks() == (DeliveryMark(1, 1, "pause", "200 ms"),)


def test_an_edit_is_undone_and_nothing_happens_where_nothing_changes(project: Project) -> None:
    before = project.documents.get("brief")
    project.set_brief(Brief(channel="Other"))
    assert BRIEF.read(project.documents).channel == "Other"
    project.set_brief(Brief(channel="Other"))
    project.history.undo()  # of one edit, not of two
    assert project.documents.get("brief") == before
