"""Listening tests: strengths of many candidates beside a general package, and how often each printed interval holds.

Intervals at 95 % are to hold in 93 to 97 of 100 panels; with 400 panels a row, 95 % may come out as 93 to 97 by chance.
"""

from __future__ import annotations

import shutil
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any, Final

import choix
import numpy as np

from benchmarks.core_rows import fill
from benchmarks.timing import best_of, seconds
from zestpanel.core.analysis.statistics.crossed import differences, equality_crossed
from zestpanel.core.analysis.statistics.preference import pair_table, strengths
from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.listening import Answer
from zestpanel.core.listening.answer_file import lines_of
from zestpanel.core.listening.answers_in import take_in
from zestpanel.core.listening.scaled import lines_of as scaled_lines
from zestpanel.core.listening.session import session_of
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.listening.together import taken_together
from zestpanel.core.store.project import Project

Rows = list[tuple[str, str, str]]
PANELS: Final = 400
EQUAL_WITHIN: Final = float(Brief().equal_within)
CANDIDATES, VOTES = 300, 200_000
# listeners, passages, share of cells missing
SHAPES: Final = ((12, 6, 0.0), (24, 12, 0.0), (24, 12, 0.3), (12, 6, 0.2))


def many_votes() -> Rows:
    """Votes without ties, so that both compute the same model (Bradley & Terry 1952)."""
    rng = np.random.default_rng(1)
    true = rng.normal(0, 0.7, CANDIDATES)
    pairs = rng.integers(0, CANDIDATES, (VOTES, 2))
    pairs = pairs[pairs[:, 0] != pairs[:, 1]]
    wins = rng.random(len(pairs)) < 1 / (1 + np.exp(true[pairs[:, 1]] - true[pairs[:, 0]]))
    votes = [(int(a), int(b), 1 if won else -1) for (a, b), won in zip(pairs, wins, strict=True)]
    won, tied = pair_table(votes, CANDIDATES)
    taken = best_of(3, lambda: strengths(won, tied))
    ours = strengths(won, tied).log_strength
    what = f"strengths of {CANDIDATES} candidates from {len(votes):,} votes"
    data = [(a, b) if said > 0 else (b, a) for a, b, said in votes]
    began = time.perf_counter()
    theirs: Any = choix.ilsr_pairwise(CANDIDATES, data, alpha=0.0)
    other = time.perf_counter() - began
    apart = float(np.abs((ours - ours.mean()) - (theirs - theirs.mean())).max())
    return [(what, seconds(taken), f"choix {seconds(other)}, {other / taken:.0f} x; largest difference {apart:.1e}")]


def intervals_hold() -> Rows:
    """Means on a scale, of a candidate beside two others; shares and words wrong: see ``error_rates``."""
    out: Rows = []
    for listeners, passages, missing in SHAPES:
        rng = np.random.default_rng(7)
        held = sum(_mean_held(rng, listeners, passages, missing) for _ in range(PANELS)) / PANELS
        what = f"mean on a scale, {listeners} x {passages}, {missing:.0%} missing"
        out.append((what, f"{held:.1%} in", "93 to 97 %"))
    return out


def _mean_held(rng: np.random.Generator, listeners: int, passages: int, missing: float) -> bool:
    """Whether the interval of the first candidate's mean holds 3.0, with listeners and passages drawn anew."""
    x = 3.0 + 0.4 * rng.standard_normal((1, listeners, 1)) + 0.3 * rng.standard_normal((1, 1, passages))
    x = x + 0.2 * rng.standard_normal((3, 1, passages)) + 0.7 * rng.standard_normal((3, listeners, passages))
    values = [(c, p, t, float(x[c, p, t])) for c in range(3) for p in range(listeners) for t in range(passages)
              if rng.random() >= missing]  # fmt: skip
    line = next(one for one in scaled_lines(values, bounds=(-10.0, 10.0)) if one.candidate_id == 0)
    return line.low <= 3.0 <= line.high


def equality_false() -> Rows:
    """How often two candidates that differ by just the margin are called equal, which is to be 5 of 100 at most."""
    out: Rows = []
    for listeners, passages, missing in SHAPES:
        rng = np.random.default_rng(8)
        wrong = sum(_called_equal(rng, listeners, passages, missing) for _ in range(4 * PANELS)) / (4 * PANELS)
        what = f"equality called at the margin, {listeners} x {passages}, {missing:.0%} missing"
        out.append((what, f"{wrong:.1%} of panels", "5 % at most"))
    return out


def _called_equal(rng: np.random.Generator, listeners: int, passages: int, missing: float) -> bool:
    shared = 0.4 * rng.standard_normal((1, listeners, 1)) + 0.3 * rng.standard_normal((1, 1, passages))
    x = shared + 0.1 * rng.standard_normal((2, 1, passages)) + 0.4 * rng.standard_normal((2, listeners, passages))
    x[0] += EQUAL_WITHIN
    x[rng.random(x.shape) < missing] = np.nan
    found = equality_crossed(differences(x), 0, 1, margin=EQUAL_WITHIN)
    return found is not None and found.equal


def several_tests() -> Rows:
    """Six tests of one panel side by side, and all of their answers out and into a copy of the project."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        project = Project.create(folder / "P.zest")
        fill(project, candidates=12, passages=12, repeats=1, rated=12)
        shutil.copytree(folder / "P.zest", folder / "Q.zest")
        ids = tuple(c.id for c in project.shortlist.candidates())
        settings = TestSettings(candidate_ids=ids, passage_ids=tuple(p.id for p in project.texts.all()), training=0)
        rng = np.random.default_rng(1)
        for kind in ("ACR", "preference", "CCR", "multi-stimulus", "yes or no"):
            test = project.panel.add_test(kind, settings.as_document())
            for listener in project.panel.listeners():
                session = session_of(project, test, listener)
                for trial in session.trials:
                    question = session.kind.shown(trial, settings).questions[0]
                    value: object = [int(x) for x in rng.integers(0, 101, question.places)] if question.places else (
                        question.choices[int(rng.integers(len(question.choices)))].value)  # fmt: skip
                    project.answers.add(trial.id, Answer(given={question.name: value}, origin="simulated"))
                project.panel.finish_session(session.trials[0].session_id)
        answers = len(project.answers.ratings()) + sum(
            len(project.answers.of_test(t.id)) for t in project.panel.tests()
        )
        said = best_of(1, lambda: taken_together(project))
        began = time.perf_counter()
        lines = "\n".join(lines_of(project))
        out = time.perf_counter() - began
        copy = Project.open(folder / "Q.zest")
        taken = best_of(1, lambda: take_in(copy, lines, "answers.jsonl"))
        same = "the same" if "\n".join(lines_of(copy)) == lines else "NOT the same"
        copy.close()
        project.close()
    what = f"six tests of 12 x 12 by 12 listeners, {answers:,} answers"
    return [
        (f"{what}: what they say together", seconds(said), "seconds"),
        ("  all answers written as a file", seconds(out), "seconds"),
        ("  taken into a copy of the project, which then writes", f"{seconds(taken)}, {same}", "seconds, the same"),
    ]


ROWS: Final[list[tuple[str, Callable[[], Rows]]]] = [
    ("votes", many_votes), ("several tests", several_tests), ("listening intervals", intervals_hold),
    ("equality", equality_false),
]  # fmt: skip
