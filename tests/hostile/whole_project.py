"""A small project in which every table holds something, made by the program's own means where there is one."""

from __future__ import annotations

import json
import sqlite3
from dataclasses import asdict, replace
from decimal import Decimal
from pathlib import Path

from tests.conftest import add_command_engine, add_demo_engine, pretend_take
from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.take import Measured, Segment, Timing
from zestpanel.core.errors import NotEnoughData
from zestpanel.core.listening.content import ContentQuestion
from zestpanel.core.listening.entry import EntryAnswer, EntryQuestion
from zestpanel.core.listening.registry import kinds
from zestpanel.core.listening.session import session_of
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.measures.registry import versions
from zestpanel.core.measures.tracks import curve
from zestpanel.core.store.database import FILE
from zestpanel.core.store.invitations import new_invitation
from zestpanel.core.store.project import Project

DAY = "2026-10-05T08:00:00.000+00:00"
# what no part of this program need be run for: a row of each, as the program writes it
_ROWS = {
    "recordings": {"id": 1, "name": "Ilse", "clip": "", "duration_s": 9.5, "rate_hz": 48000, "language": "en-GB",
                   "words": "One line here.", "checks": [], "how": "", "created": DAY,
                   "consent": {"who": "Ilse", "given": "2026-09-01", "use": "narration", "until": None,
                               "evidence": ""}},
    "own_voices": {"id": 1, "engine": "Kitchen Table", "voice": "ilse", "name": "Ilse", "language": "en-GB",
                   "made": "recorded", "recording_id": 1, "described": {}, "created": DAY},
    "statements": {"id": 1, "engine": "Tangor", "about": "engine", "item": "", "fact": "runs offline", "value": "no",
                   "source": "tried", "dated": "2026-10-01", "settles": 0, "added": DAY},
    "voice_notes": {"engine": "Tangor", "voice": "ilseth", "favourite": 1, "tags": ["warm"], "words": "calm",
                    "changed": DAY},
    "impressions": {"id": 1, "engine": "Tangor", "voice": "ilseth", "words": "calm", "spoken": "", "blind": 0,
                    "created": DAY},
    "setup_log": {"id": 1, "engine": "Tangor", "at": DAY, "minutes": 12.0, "words": "account", "kind": "set-up"},
    "sweeps": {"id": 1, "candidate_id": 1, "created": DAY,
               "spec": {"candidate_id": 1, "axes": [{"control": "pace", "values": [0.9, 1.1]}], "passage_ids": [1],
                        "repeats": 2}},
    "runs": {"id": 1, "created": DAY, "ended": DAY, "repeats": 1, "seed": 7, "machine": "here", "kind": "bench",
             "network": "wired", "conditions": {"at_once": 0, "cold": False, "side_by_side": False}},
    "requests": {"id": 1, "run_id": 1, "candidate_id": 1, "passage_version_id": 1, "repeat": 1, "attempt": 1,
                 "plan": "By the character", "state": "done", "opened": DAY, "closed": DAY, "characters": 14,
                 "beside": 0, "sound_s": 1.2},
    "auditions": {"id": 1, "engine": "Tangor", "model": "", "plan": "By the character", "voice": "ilseth",
                  "text": "Hello.", "asked": "x", "state": "done", "opened": DAY, "closed": DAY, "requests": 1,
                  "characters": 6, "sound_s": 0.5, "reply": {"voice": "ilseth"}},
    "pronunciations": {"id": 1, "word": "quay", "language": "en-GB", "engine": "", "ipa": "kiː", "respelling": "key",
                       "note": "", "changed": DAY},
    "marks": {"id": 1, "take_id": 1, "at_s": 0.4, "kind": "noise", "note": "", "created": DAY},
    "log": {"id": 1, "at": DAY, "text": "made"},
}  # fmt: skip


def whole_project(folder: Path) -> Path:
    project = Project.create(folder)
    project.set_brief(Brief(channel="Orchard", budget_per_month=Decimal(30), audition_lines={"en": "One plain line."}))
    add_demo_engine(project, "tangor")
    add_demo_engine(project, "citrange")
    add_command_engine(project)
    engines = project.shortlist.engines()
    project.shortlist.add(engines["Tangor"], voice="ilseth")
    project.shortlist.add(engines["Citrange"], voice="linnoway")
    project.shortlist.add(engines["Kitchen Table"], voice="hesk")
    passages = project.texts.add(["One line here.", "Two lines are there."], language="en-GB")
    timing = Timing(first_sound_s=0.3, last_byte_s=0.9, decoded_s=1.0, chunks=((0.3, 0.0), (0.9, 0.6)))
    for candidate in project.shortlist.candidates():
        for passage in passages:
            take = pretend_take(project, candidate.id, passage.version_id, hz=150 + 30 * candidate.id)
            words = tuple((word, 0.1 * k, 0.1 * k + 0.1, True) for k, word in enumerate(passage.text.split()))
            values: dict[str, float | str | None] = {"loudness_lufs": -20.0, "pitch_hz": 180.0, "odd": None}
            found = (Segment("pause", 0.2, 0.9, 1.0, "inside"), Segment("click", 0.4, 0.41, 6.0))
            project.takes.put_measured(
                take, Measured(values=values, words=words, words_by="alignment", versions=versions(), segments=found,
                               curves={"pitch": curve([1.0, 2.0], 0.02)}))  # fmt: skip
            project.takes.add_verdict(take, found[1], real=True)
    _tests(project)
    project.documents.put("recipes", [])
    project.close()
    clip = next((folder / "clips").iterdir()).name
    with sqlite3.connect(folder / FILE) as database:
        for table, row in _ROWS.items():
            row = {**row, **({"clip": clip} if table in ("recordings", "auditions") else {})}
            cells = {
                name: json.dumps(v) if isinstance(v, dict | list) or name == "value" else v for name, v in row.items()
            }
            names, places = ", ".join(f'"{name}"' for name in cells), ", ".join("?" * len(cells))
            database.execute(f'INSERT INTO "{table}" ({names}) VALUES ({places})', list(cells.values()))
        database.execute(
            "UPDATE takes SET timing = ?, request_id = 1, run_id = 1, obtained = 'run', characters_billed = 14, "
            "sent = ?, doubts = ? WHERE id = 1",
            (json.dumps(asdict(timing)), json.dumps(["One line here."]), "[]"),
        )
        database.execute("UPDATE passage_versions SET marks = ? WHERE id = 1", (json.dumps([[4, 8, "pause", "300"]]),))
        database.execute("UPDATE passages SET tags = ?, reviewed = ? WHERE id = 2",
                         (json.dumps(["news"]), json.dumps({"by": "Ada", "on": "2026-10-01"})))  # fmt: skip
    database.close()
    return folder


def _tests(project: Project) -> None:
    """A test of each kind, two listeners each, all answered."""
    candidates = tuple(c.id for c in project.shortlist.candidates())
    passages = tuple(p.id for p in project.texts.all())
    for name, kind in kinds().items():
        settings = TestSettings(
            candidate_ids=candidates[1:] if "reference" in kind.uses else candidates, passage_ids=passages, training=0,
            reference_id=candidates[0] if "reference" in kind.uses else 0, question="How calm?", steps=("calm", "no"),
        )  # fmt: skip
        settings = replace(
            settings, entry=(EntryQuestion("Often?", (EntryAnswer("yes", wanted=4), EntryAnswer("no", admits=False))),),
            content=tuple(ContentQuestion(p.version_id, "When?", "then", ("now",)) for p in project.texts.all()),
        )  # fmt: skip
        test = project.panel.add_test(name, settings.as_document())
        for k in range(2):
            listener = project.panel.add_listener(f"L{k}", languages=["en"])
            try:
                session = session_of(project, test, listener)
            except NotEnoughData:  # a kind that needs more passages than these
                continue
            project.invitations.issue(new_invitation(project.panel.sessions(test)[-1].id, "by link"))
            session.note_checks({"entry": [0]})
            while not session.finished:
                for lane in range(len(session.trial.stimuli)):
                    session.played(lane, 1.0)
                shown = session.shown
                session.answer({q.name: q.choices[0].value if q.choices else [50] * q.places if q.places else "words"
                                for q in shown.questions})  # fmt: skip
        project.panel.close_test(test)
