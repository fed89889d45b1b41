"""A voice with five faults in it: from the page each is listed, says what it is, and is heard where it lies."""

from __future__ import annotations

import numpy as np
import pytest
import soxr
from pytestqt.qtbot import QtBot

from tests.conftest import add_demo_engine
from tests.desk.conftest import Opener, settle
from tests.planted import TEXTS, clean, drop_out
from zestpanel.core.audio.clip import Clip, as_samples
from zestpanel.core.domain.take import Timing
from zestpanel.core.measures.joining import join
from zestpanel.core.runs.measuring.measuring import measure_missing
from zestpanel.core.speech.builtin_voice import speak
from zestpanel.core.store.project import Project
from zestpanel.desk.pages.evidence import EvidencePage

RATE = 24_000
NUMBER = "The last frost of spring falls on the 14th of May, and nobody knew it."
LINE = "Nobody knew it would stay so late, and the whole crop was lost, apples and pears alike."


def said(text: str, *, voice: str = "en-us", rate_wpm: int = 140) -> Clip:
    read = speak(text, voice=voice, rate_wpm=rate_wpm)
    x = soxr.resample(read.samples.astype(np.float64) / 32_768, read.rate_hz, RATE)
    return Clip(samples=as_samples(np.concatenate([np.zeros(3_000), x, np.zeros(3_000)])), rate_hz=RATE)


@pytest.fixture
def planted(project: Project) -> Project:
    add_demo_engine(project, "tangor")
    engine = project.shortlist.engines()["Tangor"]
    (bad,) = project.shortlist.add(engine, voice="ilseth")
    (good,) = project.shortlist.add(engine, voice="corwick")
    sentence = TEXTS["de"]
    whole = clean(5)
    dropped, _ = drop_out(whole)
    first, second = said(LINE), said(TEXTS["en"])
    softer = Clip(samples=second.samples * np.float32(10 ** (-9 / 20)), rate_hz=RATE)
    joined, begins = join([first, softer], [0.4])
    parts = [said(sentence, voice="de", rate_wpm=round(130 + 12 * k)) for k in range(9)]
    ever_faster, _ = join(parts, [0.4] * 8)
    steady, _ = join([parts[4]] * 9, [0.4] * 8)
    planted = [
        (TEXTS["de"], "de-DE", Clip(samples=as_samples(dropped), rate_hz=whole.rate_hz), whole, ()),
        (NUMBER, "en-GB", said(NUMBER.replace("14th", "one four")), said(NUMBER), ()),
        (LINE, "en-GB", said(LINE.replace("apples", "and the whole crop was lost, apples")), said(LINE), ()),
        (f"{LINE} {TEXTS['en']}", "en-GB", joined, join([first, second], [0.4])[0], tuple(begins[1:])),
        (" ".join([sentence] * 9), "de-DE", ever_faster, steady, ()),
    ]
    for text, language, wrong, right, joins in planted:
        (passage,) = project.texts.add([text], language=language)
        timing = Timing(last_byte_s=1.0, decoded_s=1.0, joins_s=joins)
        for candidate, clip in ((bad, wrong), (good, right)):
            project.takes.keep(clip, candidate_id=candidate.id, passage_version_id=passage.version_id, repeat=1,
                               obtained="import", timing=timing)  # fmt: skip
    done, problems = measure_missing(project.takes, project.texts)
    assert (done, problems) == (10, [])
    return project


@pytest.mark.listens
def test_a_lead_finds_all_five_from_the_page_and_hears_each(
    planted: Project, open_window: Opener, qtbot: QtBot
) -> None:
    window = open_window(planted)
    window.go_to("evidence")
    settle(qtbot, window)
    page = window.page("evidence")
    assert isinstance(page, EvidencePage)
    page.show_view("Faults")
    settle(qtbot, window)
    view = page.faults
    bad, good = (c.id for c in planted.shortlist.candidates())
    view.whose.setCurrentIndex(view.whose.findData(bad))
    by_kind = {line.kind: k for k, line in enumerate(view.shown)}
    wanted = {"drop-out", "figure otherwise", "words repeated", "level step", "join heard", "pace drifts"}
    assert wanted <= by_kind.keys(), sorted(by_kind)
    told = {line.kind: line.says for line in view.shown}
    assert "is heard as" in told["figure otherwise"]
    assert "14th" in told["figure otherwise"]
    assert "is heard twice" in told["words repeated"]
    assert "softer" in told["level step"]
    assert "softer behind the join" in told["join heard"]
    assert "pace +" in told["pace drifts"]
    for kind in wanted:
        start, end = view.shown[by_kind[kind]].span_s
        view.table.row_chosen.emit(by_kind[kind])
        settle(qtbot, window)
        assert window.state.player.mixer.playing
        assert window.state.player.mixer.time_s == pytest.approx(max(0.0, start - 1.0), abs=0.5), kind
        assert end >= start
    window.state.player.pause()
    view.whose.setCurrentIndex(view.whose.findData(good))
    assert not wanted & {line.kind for line in view.shown} or view.whose.findData(good) < 0
    page.show_view("Where")
    page.where.show_figure("faults")
    settle(qtbot, window)
    assert page.where.seen is not None
    middle = page.where.seen.middle
    assert (middle(candidate=bad) or 0) >= 1
    assert middle(candidate=good) == 0
