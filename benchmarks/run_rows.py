"""Runs against the stand-ins: a whole bench with faults, its money and its timings held against what they count and
were told, and a run killed again and again."""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import time
from decimal import Decimal
from pathlib import Path

import httpx
import numpy as np
from tests.conftest import KEY, Unmeasured, add_demo_engine, tone

from benchmarks.core_rows import limit
from zestpanel.core.analysis.timing.points import points_of
from zestpanel.core.audio.files import write_wav
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.connectors.agreed import agree
from zestpanel.core.connectors.voice_list import fetch_voices
from zestpanel.core.money.metering import Meter
from zestpanel.core.runs.execute.unattended import make
from zestpanel.core.runs.plan.estimates import used_so_far
from zestpanel.core.runs.plan.planning import plan_run
from zestpanel.core.runs.plan.undecided import undecided
from zestpanel.core.store.project import Project
from zestpanel.demo.building import stand_in_service

Rows = list[tuple[str, str, str]]
# longer than the stand-ins need for the speaking itself, nine at once on two cores: then the wait is the delay
DELAYS_S = {"tangor": 1.6, "citrange": 1.2, "mandelo": 1.4}
TEXTS = [f"Line {n}: rain by noon." for n in range(1, 13)]
FAULTS = 0.05


def big_bench(folder: Path, address: str) -> Project:
    """20 candidates of three hosted engines, 12 short texts."""
    httpx.post(f"{address}/control", json={"delay_s": DELAYS_S, "fault_rate": FAULTS, "retry_after_s": 0.2})
    project = Project.create(folder)
    for name in ("tangor", "citrange", "mandelo"):
        add_demo_engine(project, name)
    engines = project.shortlist.engines()
    listed = fetch_voices(engines["Mandelo"])
    project.shortlist.put_fetched("Mandelo", listed)
    engines = project.shortlist.engines()
    english = [v.id for v in engines["Mandelo"].voices if v.speaks("en-GB") and v.tier == "orchard"][:8]
    for voice in english:
        project.shortlist.add(engines["Mandelo"], voice=voice, plan="Orchard")
    for name in ("Tangor", "Citrange"):
        for voice in [v.id for v in engines[name].voices if v.speaks("en-GB")][:3]:
            for pace in (0.9, 1.0, 1.1, 1.15):
                if len(project.shortlist.candidates()) < 20:
                    project.shortlist.add(engines[name], voice=voice, settings={"pace": pace})
    project.texts.add(TEXTS, language="en-GB")
    # the limit of Mandelo (120 a minute) would make this take minutes; how it is kept is tried in the tests
    limit(project, requests_per_minute=None)
    return project


def whole_bench() -> Rows:
    """20 candidates x 12 passages x 3 repeats with 5 % faults, unattended; runs until nothing is missing."""
    with tempfile.TemporaryDirectory() as folder, stand_in_service() as address:
        project = big_bench(Path(folder) / "Bench.zest", address)
        began = time.perf_counter()
        rounds = failed = 0
        while (planned := plan_run(project, repeats=3)).jobs and rounds < 5:
            progress = make(project, planned, executor=Unmeasured(), seed=rounds)
            rounds, failed = rounds + 1, failed + progress.failed
            project.journal.let_be_asked_again([row.id for row in undecided(project)])
        taken = time.perf_counter() - began
        account = httpx.get(f"{address}/account", headers={"x-key": KEY}).json()
        journal = project.journal.rows()
        ours = sum(row.characters for row in journal if row.state == "done")
        spent = _spent(project)
        tries = sum(row.state == "failed" for row in journal)
        takes = project.takes.all()
        off = _off_the_told(project)
        project.close()
    return [
        ("20 candidates x 12 passages x 3 repeats, 5 % faults: takes", f"{len(takes)} in {taken:.0f} s", "720"),
        (f"  failed tries {tries}, takes given up and asked for again in {rounds} runs", str(failed), ""),
        ("  characters, ours against the service's own counter", f"{ours} / {account['used']}", "equal"),
        ("  requests, ours against the service's own counter", f"{len(journal)} / {account['requests']}", "equal"),
        ("  money by the journal", f"{spent} EUR", ""),
        *(
            (f"  {name}: wait over the {1000 * DELAYS_S[name.lower()]:.0f} ms it was told, median (95 of 100)",
             f"{1000 * median:+.1f} ms ({1000 * p95:+.1f})", "0 to +40 ms")
            for name, (median, p95) in off.items()
        ),
    ]  # fmt: skip


def _spent(project: Project) -> Decimal:
    """The bill from the journal as it was written, plan by plan, day by day."""
    total = Decimal(0)
    engines = project.shortlist.engines()
    for (name, plan_name), days in used_so_far(
        project.auditions, project.shortlist, project.journal.rows(), {}
    ).items():
        plan = engines[name].plan(plan_name)
        for day in sorted(days) if plan else ():
            before = {other: use for other, use in days.items() if other < day}
            cost = Meter(plan.tariff, before, today=day).with_more(days[day]).cost
            total += cost.amount if cost else 0
    return total


def _off_the_told(project: Project) -> dict[str, tuple[float, float]]:
    """By engine: how far measured waits to the first byte lie over the delay it was told to make."""
    by_id = {c.id: c.engine for c in project.shortlist.candidates()}
    out = {}
    for name in sorted(set(by_id.values())):
        waits = [
            p.timing.first_byte_s - DELAYS_S[name.lower()]
            for p in points_of(project.takes.all(), project.journal, project.shortlist)
            if by_id[p.take.candidate_id] == name and not p.timing.cold and p.timing.first_byte_s is not None
        ]
        out[name] = (float(np.median(waits)), float(np.quantile(waits, 0.95)))
    return out


SLEEPS_S = 0.3


def known_waits() -> Rows:
    """A program that sleeps for 300 ms and writes a sound: its wait alone, and with seven others in the same run, all
    measured meanwhile. What is over 300 ms is the shell's own start and ours."""
    rows: Rows = []
    with tempfile.TemporaryDirectory() as folder:
        clip = Path(folder) / "tone.wav"
        write_wav(clip, tone(220, -12, 2.0, 22_050))
        for count in (1, 8):
            project = Project.create(Path(folder) / f"{count}.zest")
            for number in range(count):
                add_sleeper(project, f"Sleeper {number + 1}", clip)
            project.texts.add(TEXTS[:4], language="en-GB")
            make(project, plan_run(project))
            waits = [
                p.timing.last_byte_s - SLEEPS_S
                for p in points_of(project.takes.all(), project.journal, project.shortlist)
                if not p.timing.cold
            ]
            beside = max(
                p.timing.beside or 0 for p in points_of(project.takes.all(), project.journal, project.shortlist)
            )
            project.close()
            named = "alone" if count == 1 else f"and {count - 1} others"
            over = f"{1000 * float(np.median(waits)):+.1f} ms ({1000 * max(waits):+.1f})"
            rows.append((f"a program that sleeps 300 ms, {named}: wait over it, median (longest)", over, "0 to +15 ms"))
            rows.append(("  requests beside it", str(beside), "0"))
    return rows


def add_sleeper(project: Project, name: str, clip: Path) -> None:
    arguments = ["sh", "-c", f"sleep {SLEEPS_S}; cat '{clip}'", "sh", "--", "{text}"]
    document = {"zest-connector": 1, "engine": name, "speak": {"kind": "command", "arguments": arguments},
                "voices": [{"id": "a", "languages": ["en-GB"]}]}  # fmt: skip
    source = json.dumps(document)
    engine = parse_connector(source, name="sleeper.json")
    agree(engine)
    project.shortlist.add_engine(engine, source, "sleeper.json")
    project.shortlist.add(engine, voice="a")


def kills() -> Rows:
    """A run killed at 200 random moments; every check of tests/kill_loop.py after each."""
    with tempfile.TemporaryDirectory() as folder:
        command = [sys.executable, "-m", "tests.kill_loop", str(Path(folder) / "K.zest"), "200", "2026"]
        done = subprocess.run(command, capture_output=True, text=True, check=False)
    said = done.stdout.strip() if done.returncode == 0 else done.stderr.strip()[-200:]
    return [(f"killed at random moments: {said}", "clean" if done.returncode == 0 else "BROKEN", "clean each time")]


ROWS = [("bench whole", whole_bench), ("known waits", known_waits), ("kills", kills)]
