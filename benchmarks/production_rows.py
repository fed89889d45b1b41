"""Rows on narrations: how long a book takes to be delivered, and how much memory; and the choice of many candidates."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from decimal import Decimal
from pathlib import Path
from typing import Final

from benchmarks.core_rows import Rows, fill
from benchmarks.timing import seconds
from zestpanel.core.choice.evidence import evaluate
from zestpanel.core.choice.verdict import verdict
from zestpanel.core.domain.role import Role, SetTo
from zestpanel.core.store.project import Project

_PARTS: Final = 400

_BOOK = """
import resource, sys, time
from pathlib import Path
from zestpanel.core.audio.encoding import OutputFormat
from zestpanel.core.production.narration import cast_all, deliver, put_narration
from zestpanel.core.store.project import Project
from zestpanel.core.text.readers.script import Part
from benchmarks.core_rows import speech
from tests.conftest import add_demo_engine

folder, parts = Path(sys.argv[1]), int(sys.argv[2])
project = Project.create(folder / "Book.zest")
add_demo_engine(project, "tangor")
who = project.shortlist.add(project.shortlist.engines()["Tangor"], voice="ilseth")[0].id
text = "The last frost of spring falls in the second week of May, and nobody speaks of apples. " * 3
put_narration(project, "Book", [Part(text=f"{k}. {text}") for k in range(parts)], language="en-GB")
cast_all(project, "Book", {"Narrator": who})
clip = speech(15)
for turn in project.dialogues.turns("Book"):
    project.takes.keep(clip, candidate_id=who, passage_version_id=turn.version_id, repeat=1, obtained="import")
before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
began = time.perf_counter()
made = deliver(project, "Book", folder / "out", OutputFormat(kind="mp3"))
took = time.perf_counter() - began
print(took, made.duration_s, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024 - before)
"""


def delivery() -> Rows:
    """In a process of its own, since memory is looked at."""
    rows: Rows = []
    for parts in (_PARTS // 10, _PARTS):
        with tempfile.TemporaryDirectory() as folder:
            done = subprocess.run([sys.executable, "-c", _BOOK, folder, str(parts)], stdout=subprocess.PIPE, text=True,
                                  check=True, cwd=Path(__file__).parents[1])  # fmt: skip
            took, sound, memory = map(float, done.stdout.split())
        rows.append((f"narration of {parts} parts, {sound / 60:.0f} min, as MP3 at −16 LUFS",
                     f"{took:.1f} s, {sound / took:.0f} x, +{memory:.0f} MB", "memory flat"))  # fmt: skip
    return rows


def choosing() -> Rows:
    with tempfile.TemporaryDirectory() as folder:
        project = Project.create(Path(folder) / "P.zest")
        fill(project, candidates=200, passages=10, repeats=1, rated=8)
        roles = (*project.brief.roles, Role(id="b", name="b", share_percent=Decimal(20)),
                 Role(id="c", name="c", criteria={"quality": SetTo(weight=5)}))  # fmt: skip
        project.set_brief(project.brief.model_copy(update={"roles": roles}))
        began = time.perf_counter()
        evaluate(project)
        first = time.perf_counter() - began
        began = time.perf_counter()
        found = evaluate(project)
        again = time.perf_counter() - began
        standing = found.standings[0]
        began = time.perf_counter()
        moved = standing.weighed_by(standing.criteria)
        order = time.perf_counter() - began
        verdict(moved)
        project.close()
    return [
        ("choice of 200 candidates for 4 roles, all worked out", seconds(first), ""),
        ("  again, after a weight was moved", seconds(again), ""),
        ("  the order under weights that are moved by hand", seconds(order), "< 50 ms"),
    ]


ROWS = [("delivery", delivery), ("choosing", choosing)]
