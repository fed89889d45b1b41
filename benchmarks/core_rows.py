"""Rows that need no window."""

from __future__ import annotations

import tempfile
import time
from decimal import Decimal
from pathlib import Path

import httpx
import numpy as np
import pyloudnorm
from tests.conftest import KEY, demo_engine_source, tone
from tests.planted import TEXTS

from benchmarks.timing import best_of, seconds
from zestpanel.core.analysis.statistics.crossed import crossed_intervals, draws_of
from zestpanel.core.audio.clip import Clip, as_samples
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.connectors.opening import open_connector
from zestpanel.core.connectors.speaking import SpeakRequest
from zestpanel.core.domain.brief import Brief
from zestpanel.core.measures.loudness import integrated_loudness, measure_loudness
from zestpanel.core.measures.pitch import pitch_track
from zestpanel.core.measures.registry import families, measure
from zestpanel.core.money.curve import month_curve
from zestpanel.core.money.tariff import Tariff
from zestpanel.core.money.volume import Rates
from zestpanel.core.playback.mixer import RATE_HZ, Mixer, prepare_lanes
from zestpanel.core.report.record import write_record
from zestpanel.core.speech.builtin_voice import speak
from zestpanel.core.store.project import Project
from zestpanel.core.store.worked_out import WorkedOut

Rows = list[tuple[str, str, str]]


def speech(seconds_long: float, rate_hz: int = 24_000) -> Clip:
    """Noise with the rhythm of speech."""
    rng = np.random.default_rng(1)
    t = np.arange(int(seconds_long * rate_hz)) / rate_hz
    x = 0.1 * (np.sin(2 * np.pi * 140 * t) + 0.3 * rng.standard_normal(len(t))) * (np.sin(2 * np.pi * 0.7 * t) > -0.6)
    return Clip(samples=x, rate_hz=rate_hz)


def measures() -> Rows:
    """Families of measures by themselves and together, on a minute that the built-in voice speaks."""
    text = " ".join([TEXTS["en"]] * 5)
    read = speak(text, voice="en-us")
    clip = Clip(samples=as_samples(read.samples / 32_768), rate_hz=read.rate_hz)
    known = measure(clip, text, "de", only=["word times"])
    slow = {family.name for family in families() if family.slow}
    cheap = [family.name for family in families() if family.name not in {"word times", "words heard", *slow}]

    def took(names: list[str]) -> float:
        return best_of(3, lambda: measure(clip, text, "de", only=names, before=known))

    def pace(s: float) -> str:
        return f"{clip.duration_s / s:.0f} x"

    bare = best_of(3, lambda: pitch_track(clip))
    stereo = Clip(samples=np.repeat(speech(60, 48_000).samples, 2, axis=1), rate_hz=48_000)
    as_float64 = stereo.samples.astype(np.float64)
    ours = best_of(3, lambda: integrated_loudness(stereo))
    meter = pyloudnorm.Meter(48_000, filter_class="DeMan")
    other = best_of(3, lambda: meter.integrated_loudness(as_float64))
    words = best_of(1, lambda: measure(clip, text, "de", only=["word times"]))
    return [
        ("measuring sound, all cheap families together, real time a core", pace(took(cheap)), "> 56 x: 1,000 in 90 s"),
        ("  pitch, against the bare library", f"{pace(took(['pitch']))} / {pace(bare)}", "1.1 x its time"),
        ("  words placed by the built-in voice's reading", pace(words), ""),
        *((f"  {name}, on request", pace(took([name])), "") for name in sorted(slow)),
        ("integrated loudness of 60 s stereo, against pyloudnorm in this run", f"{seconds(ours)} / {seconds(other)}",
         "at least as fast"),
    ]  # fmt: skip


def bootstrap() -> Rows:
    scores = np.random.default_rng(2).integers(1, 6, (50, 100, 40)).astype(float)
    taken = best_of(2, lambda: crossed_intervals(scores, draws_of(scores, 3), bounds=(1.0, 5.0)))
    return [("crossed bootstrap, 50 candidates x 100 listeners x 40 passages", seconds(taken), "< 0.3 s")]


def tariffs() -> Rows:
    plans = [
        Tariff.model_validate({"currency": "EUR", "components": [
            {"kind": "subscription", "price": 5 + k}, {"kind": "allowance", "amount": 10_000 * (k + 1)},
            {"kind": "per unit", "price": "0.30", "per": 1000},
        ]})
        for k in range(200)
    ]  # fmt: skip
    brief = Brief()
    volumes = [Decimal(v) for v in range(1, 501)]

    def all_of_them() -> None:
        for plan in plans:
            curve = month_curve(plan, Rates(), brief, model="m")
            assert curve is not None
            curve.at(volumes)

    taken = best_of(3, all_of_them)
    return [("200 plans x 500 volumes, exact decimals", seconds(taken), "< 100 ms")]


def mixer() -> Rows:
    clips = [(k, tone(200 + 50 * k, -14, 10, 24_000), (), 20) for k in range(7)]
    prepared = best_of(2, lambda: prepare_lanes(clips))
    lanes, _ = prepare_lanes(clips)
    mix = Mixer()
    mix.load(lanes)
    mix.play()
    block = RATE_HZ * 25 // 1000
    taken = best_of(50, lambda: (mix.swap(1 - mix.on if mix.on < 2 else 0), mix.render(block)))
    return [
        ("swap between tray clips: work before the next 25 ms buffer", seconds(taken), "<= 25 ms, no click"),
        ("laying 7 clips of 10 s on the tray (off the interface thread)", seconds(prepared), ""),
    ]


def timing_overhead() -> Rows:
    """The same reply by our connector and by a bare client on kept connections, in turns, either one first.

    The service runs in a process of its own: in this one it would share Python's lock with the clients.
    """

    from zestpanel.demo.building import stand_in_service

    text = "Words."
    with stand_in_service() as address:
        httpx.post(f"{address}/control", json={"delay_s": {"tangor": 0.15, "citrange": 0.15, "mandelo": 0.15}})
        connector = open_connector(parse_connector(demo_engine_source("tangor"), name="t"))
        request = SpeakRequest(
            text=text,
            language="en-GB",
            voice="ilseth",
            model="m",
            settings={"pace": 1.0, "liveliness": 1.0, "mood": "plain"},
        )
        body = {
            "text": text,
            "voice": "ilseth",
            "model": "m",
            "pace": 1.0,
            "liveliness": 1.0,
            "mood": "plain",
            "seed": 0,
        }
        ours, bare = [], []  # type: ignore[var-annotated]
        with httpx.Client() as client:
            for k in range(60):
                for who in ("bare", "ours") if k % 2 else ("ours", "bare"):
                    if who == "ours":
                        timing = connector.speak(request).timing
                        assert timing is not None
                        taken = timing.last_byte_s
                    else:
                        began = time.monotonic()
                        with client.stream("POST", f"{address}/tangor/speak", json=body,
                                           headers={"X-Key": KEY}) as reply:  # fmt: skip
                            for _ in reply.iter_raw():
                                pass
                        taken = time.monotonic() - began
                    if k >= 4:
                        (ours if who == "ours" else bare).append(taken)
        connector.close()
    added = float(np.median(np.array(ours) - np.array(bare)))
    return [("added delay of our timing over a raw client, median of pairs", seconds(max(0.0, added)), "< 2 ms")]


def record() -> Rows:
    with tempfile.TemporaryDirectory() as folder:
        project = Project.create(Path(folder) / "P.zest")
        fill(project, candidates=40, passages=6, repeats=1, rated=8)
        taken = best_of(1, lambda: write_record(project))
        project.close()
    return [("decision record of 40 candidates with charts", seconds(taken), "< 5 s")]


def limit(project: Project, **limits: int | None) -> None:
    """Other limits for every engine than its file states."""
    limited = {
        name: engine.model_copy(update={"limits": engine.limits.model_copy(update=limits)})
        for name, engine in project.shortlist.engines().items()
    }
    project.shortlist._engines = WorkedOut(lambda: limited)


def fill(project: Project, *, candidates: int, passages: int, repeats: int, rated: int = 0) -> None:
    """A large project by direct rows: one clip, many takes. Stands for months of use."""
    from zestpanel.core.audio.files import peaks
    from zestpanel.core.measures.registry import versions as families
    from zestpanel.core.store.database import now
    from zestpanel.core.store.schema import candidates as candidate_rows
    from zestpanel.core.store.schema import measures as measure_rows
    from zestpanel.core.store.schema import takes as take_rows

    source = demo_engine_source("tangor")
    project.shortlist.add_engine(parse_connector(source, name="t"), source, "tangor.yaml")
    clip = speech(6)
    name = project.takes._store.keep(clip)
    wave, level = peaks(clip, 240), measure_loudness(clip)
    project.texts.add([f"Passage number {k} has a few plain words in it." for k in range(passages)], language="en-GB")
    versions = [p.version_id for p in project.texts.all()]
    base = {"engine": "Tangor", "model": "tangor-grove", "model_version": "4.2", "route": "programming interface",
            "plan": "Conservatory", "voice": "ilseth", "language": "en-GB", "factory": False, "note": "",
            "created": now()}  # fmt: skip
    known = families()  # nothing is left to be measured
    timing = {"last_byte_s": 1.0, "decoded_s": 1.0, "first_sound_s": 0.4, "chunks": []}
    with project.takes._database.writing() as connection:
        connection.execute(candidate_rows.insert(), [
            {**base, "position": k, "settings": {"pace": 0.7 + k / 1000, "liveliness": 1.0}}
            for k in range(1, candidates + 1)
        ])  # fmt: skip
        rows = [
            {"candidate_id": c, "passage_version_id": v, "repeat": r, "obtained": "run", "clip": name,
             "duration_s": clip.duration_s, "rate_hz": clip.rate_hz, "channels": 1, "peaks": wave, "timing": timing,
             "voice_used": "ilseth", "model_used": "", "characters_billed": 40, "created": now(), "starred": False}
            for c in range(1, candidates + 1) for v in versions for r in range(1, repeats + 1)
        ]  # fmt: skip
        connection.execute(take_rows.insert(), rows)
        connection.execute(measure_rows.insert(), [
            {"take_id": k, "version": 5, "families": known, "words": [], "words_by": "",
             "values": {"duration_s": 6.0, "speaking_rate": 150.0, "articulation_rate": 170.0, "pitch_hz": 140.0,
                        "loudness_lufs": level.integrated_lufs, "true_peak_dbtp": level.true_peak_dbtp}}
            for k in range(1, len(rows) + 1)
        ])  # fmt: skip
    rng = np.random.default_rng(1)
    ratings = []
    for k in range(rated):
        listener = project.panel.add_listener(f"L{k}", languages=["en"])
        ratings += [
            {"listener_id": listener.id, "candidate_id": c, "passage_version_id": v, "origin": "file",
             "score": float(rng.integers(1, 6))}
            for c in range(1, candidates + 1) for v in versions
        ]  # fmt: skip
    project.answers.add_ratings(ratings)


ROWS = [
    ("measures", measures), ("bootstrap", bootstrap), ("tariffs", tariffs), ("mixer", mixer),
    ("timing", timing_overhead), ("record", record),
]  # fmt: skip
