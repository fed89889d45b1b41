"""A run with much that goes wrong, in a process of its own: python -m tests.in_a_language FOLDER (ZEST_LANGUAGE).

Prints as JSON what came of it, without a word that is for people: it is the same in every language.
"""

from __future__ import annotations

import json
import sys
from collections import Counter
from pathlib import Path

from tests.small_service import Answer, SmallService, as_json, wav
from zestpanel.core.analysis.timing.points import points_of
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.choice.evidence import evaluate
from zestpanel.core.connectors.agreed import agree
from zestpanel.core.domain.take import Measured
from zestpanel.core.runs.execute.executors import LocalExecutor
from zestpanel.core.runs.execute.unattended import make
from zestpanel.core.runs.plan.planning import plan_run
from zestpanel.core.store.project import Project

PAGE = b"<!doctype html><html>Down for a while</html>"
ANSWERS = {
    "Key refused": Answer(b"no", 401),
    "Key in its words": as_json({"error": "your API key has expired"}, 400),
    "Text refused": as_json({"error": "no such word"}, 400),
    "Used up": Answer(b"nothing left", 402),
    "Web page": Answer(PAGE),
    "Cut sound": Answer(wav()[:4000]),
    "No sound": as_json({"error": "busy"}),
    "Failing": Answer(b"oh", 500),
    "Speaking": Answer(wav()),
}
TARIFF = [
    {"kind": "subscription", "price": "5"},
    {"kind": "allowance", "amount": 3, "unit": "request", "every": "day"},
    {"kind": "per unit", "price": "0.20", "per": 1000, "unit": "character", "above": 500, "all_units": True},
    {"kind": "per unit", "price": "0.10", "unit": "request"},
    {"kind": "discount", "percent": 20, "months": 2},
    {"kind": "once", "price": "9"},
    {"kind": "tax", "percent": 19},
    {"kind": "least", "price": "1"},
]
TEXTS = ["Frost comes late.", "The pears are in.", "Prune in March.", "Graft in April."]


class Unmeasured(LocalExecutor):
    def measure(self, *_: object, **__: object) -> Measured:
        return Measured(values={}, versions={})


def main(folder: Path) -> dict[str, object]:
    project = Project.create(folder)
    project.texts.add(TEXTS, language="en-GB")
    with SmallService(lambda heard: ANSWERS[heard.json["engine"]]) as service:
        for name in ANSWERS:
            source = json.dumps({
                "zest-connector": 1, "engine": name, "voices": [{"id": "v", "languages": ["en-GB"]}],
                "plans": [{"name": "plan", "tariff": {"currency": "EUR", "components": TARIFF}}],
                "speak": {"kind": "http", "address": f"{service.address}/speak",
                          "body": {"text": "{text}", "engine": name}},
            })  # fmt: skip
            engine = parse_connector(source, name="e.json")
            agree(engine)
            project.shortlist.add_engine(engine, source, "e.json")
            project.shortlist.add(engine, voice="v", plan="plan")
        progress = make(project, plan_run(project), executor=Unmeasured())
        asked = Counter(heard.json["engine"] for heard in service.heard)
    names = {c.id: c.engine for c in project.shortlist.candidates()}
    rows = Counter(f"{names[row.candidate_id]}: {row.state} {row.failure_kind}" for row in project.journal.rows())
    found = evaluate(project)
    waits = points_of(project.takes.all(), project.journal, project.shortlist)
    return {
        "done": progress.done, "failed": progress.failed, "left": progress.left_over, "held": bool(progress.held),
        "asked": dict(sorted(asked.items())), "rows": dict(sorted(rows.items())),
        "prices": [run.conditions["prices"] for run in project.journal.runs().values()],
        "taken on": sorted({repr(point.circumstances) for point in waits}),
        "candidates": [(c.route, c.model, c.settings, c.factory) for c in project.shortlist.candidates()],
        "again": len(plan_run(project).jobs),
        "gates": [[gate.verdict for gate in row.gates] for row in found.rows.values()],
    }  # fmt: skip


if __name__ == "__main__":
    print(json.dumps(main(Path(sys.argv[1]))))
