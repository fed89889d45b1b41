"""Simulated listeners of the demo: seeded, marked as simulated, through the trials that a listener would be given."""

from __future__ import annotations

from typing import Any

import numpy as np

from zestpanel.core.domain.listening import QUALITY, RATING, Answer, Conduct, Trial
from zestpanel.core.listening.material import takes_to_hear
from zestpanel.core.listening.session import session_of
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.store.project import Project

NO_PREFERENCE = 0.2  # how often a simulated listener has none


def add_panel(project: Project, data: dict[str, Any]) -> None:
    """A simulated panel: seeded, its listeners and ratings marked as simulated, through a real test's takes."""
    panel, passages, candidates = data["panel"], project.texts.all(), project.shortlist.candidates()
    rng = np.random.default_rng(panel["seed"])
    settings = TestSettings(candidate_ids=tuple(c.id for c in candidates), passage_ids=tuple(p.id for p in passages))
    project.panel.add_test(RATING, settings.as_document())
    takes = takes_to_hear(project.takes, project.texts, settings)
    quality = dict(zip((c.id for c in candidates), panel["quality"], strict=True))
    hard = dict(zip((p.version_id for p in passages), panel["hard"], strict=True))
    rows = []
    for item in panel["listeners"]:
        listener = project.panel.add_listener(
            item["alias"], languages=item["languages"], hearing="no known loss", kit=item["kit"], simulated=True
        )
        mood = panel["listener_spread"] * rng.standard_normal()
        taste = {c: panel["taste_spread"] * rng.standard_normal() for c in quality}
        for (candidate, version), take in takes.items():
            value = (
                quality[candidate] - hard[version] + mood + taste[candidate] + panel["noise"] * rng.standard_normal()
            )
            rows.append(
                {
                    "listener_id": listener.id,
                    "candidate_id": candidate,
                    "passage_version_id": version,
                    "take_id": take,
                    "score": float(np.clip(np.rint(value), 1, 5)),
                    "origin": "simulated",
                }
            )
    project.answers.add_ratings(rows)


def add_listening_tests(project: Project, data: dict[str, Any]) -> None:
    """Which would you publish, can a setting be heard at all, and many on one line: further tests, over and closed; and
    one of naturalness that is under way, with fewer listeners than are planned."""
    candidates, passages = project.shortlist.candidates(), project.texts.all()
    panel, tests = data["panel"], data["tests"]
    quality = dict(zip((c.id for c in candidates), panel["quality"], strict=True))
    rng = np.random.default_rng(panel["seed"] + 1)

    def prefers(trial: Trial) -> dict[str, Any]:
        first, second = (quality[s.candidate_id] for s in trial.stimuli)
        if rng.random() < NO_PREFERENCE:
            return {"choice": "neither"}
        return {"choice": "first" if rng.random() < 1 / (1 + np.exp(second - first)) else "second"}

    def hears(trial: Trial) -> dict[str, Any]:
        knows = rng.random() < tests["ABX"]["heard"]
        return {"x": trial.detail["x"] if knows else "ab"[int(rng.integers(2))]}

    def places(trial: Trial) -> dict[str, Any]:
        spread = tests["multi-stimulus"]["spread"]
        wanted = [25 * (quality[s.candidate_id] - 1) + spread * rng.standard_normal() for s in trial.stimuli]
        return {"places": [int(np.clip(round(one), 0, 100)) for one in wanted]}

    def rates(trial: Trial) -> dict[str, Any]:
        value = quality[trial.stimuli[0].candidate_id] + panel["noise"] * rng.standard_normal()
        return {"score": int(np.clip(round(value), 1, 5))}

    for kind, answers in (("preference", prefers), ("ABX", hears), ("multi-stimulus", places), (RATING, rates)):
        wanted = tests.get(kind)
        if wanted is None:
            continue
        settings = TestSettings(
            candidate_ids=tuple(candidates[n - 1].id for n in wanted["candidates"] if n <= len(candidates)),
            passage_ids=tuple(p.id for p in passages), training=0, most=wanted.get("most", 0), trim=True,
            listeners=wanted.get("planned", 0), scale=wanted.get("scale", QUALITY),
        )  # fmt: skip
        if len(settings.candidate_ids) < 2:
            continue
        test = project.panel.add_test(kind, settings.as_document())
        project.panel.put_conduct(test, Conduct(name=wanted.get("name", "")))
        for listener in project.panel.listeners()[: wanted["listeners"]]:
            session = session_of(project, test, listener)
            for trial in session.trials:
                project.answers.add(trial.id, Answer(given=answers(trial), origin="simulated", heard_share=1.0))
            project.panel.finish_session(session.trials[0].session_id)
        if not wanted.get("planned"):
            project.panel.close_test(test)
