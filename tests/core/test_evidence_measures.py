"""Rhythm, movement, pauses by place, voice quality, consistency, and where a figure is what it is: against sounds and
tables with a known answer."""

from __future__ import annotations

import re
from dataclasses import replace

import numpy as np
import parselmouth
import pytest
from parselmouth.praat import call
from scipy.stats import chi2

from tests.conftest import add_demo_engine, pretend_take, tone
from zestpanel.core.analysis.consistency import consistency
from zestpanel.core.audio.clip import Clip, as_samples
from zestpanel.core.choice.evidence import evaluate
from zestpanel.core.choice.profile import Line, profile, says
from zestpanel.core.choice.where import Limit, Where, choices, odd_places, where
from zestpanel.core.domain.take import Measured
from zestpanel.core.measures import registry
from zestpanel.core.measures.declared import Material
from zestpanel.core.measures.movement import movement_of, sentences
from zestpanel.core.measures.pitch import Track
from zestpanel.core.measures.syllables import intervals_s, npvi, nuclei_s
from zestpanel.core.measures.voice_quality import voice_quality
from zestpanel.core.report.drawing import Box, to_svg
from zestpanel.core.report.drawing import Line as DrawnLine
from zestpanel.core.report.palette import LIGHT
from zestpanel.core.report.where_picture import profile_picture, where_picture
from zestpanel.core.runs.measuring.measuring import measure_missing
from zestpanel.core.speech import builtin_voice
from zestpanel.core.store.project import Project

RATE = 16_000
VOWELS = re.compile(r"[aeiouæɐəɚɛɜɪɔɒʊʌɑiy]+ː?[aeiouəɪʊ]*")
SENTENCES = (
    "In the first week of April the gardeners wrapped the young trees against the frost.",
    "Nobody remembered who had planted the quince, but everybody knew how to make the jelly.",
    "She counted twenty seven baskets before the rain began to fall upon the valley.",
)


@pytest.fixture
def small(project: Project) -> Project:
    """Two candidates by three passages, each take measured."""
    add_demo_engine(project, "tangor")
    engine = project.shortlist.engines()["Tangor"]
    for voice in ("ilseth", "corwick"):
        project.shortlist.add(engine, voice=voice)
    project.texts.add(list(SENTENCES), language="en-GB")
    for candidate in project.shortlist.candidates():
        for passage in project.texts.all():
            pretend_take(project, candidate.id, passage.version_id)
    measure_missing(project.takes, project.texts)
    return project


def spoken(text: str, *, rate: int = 165, language: str = "en") -> Clip:
    read = builtin_voice.speak(text, voice=language, rate_wpm=rate)
    return Clip(samples=as_samples(read.samples.astype(np.float32) / 32768), rate_hz=read.rate_hz)


@pytest.mark.parametrize("rate", [120, 175])
def test_as_many_syllables_are_heard_as_the_pronunciation_has_vowels(rate: int) -> None:
    """The built-in voice's own pronunciation says how many there are."""
    heard = told = 0
    for text in SENTENCES:
        of = Material(spoken(text, rate=rate), text, "en")
        heard += len(nuclei_s(of.levels, of.pitch.on_steps(0.01, of.clip.duration_s) > 0))
        told += len(VOWELS.findall(builtin_voice.phonemes(text, voice="en")))
    assert heard == pytest.approx(told, rel=0.08)


def test_rhythm_is_the_index_of_grabe_and_low_within_stretches() -> None:
    """By hand: neighbours of 100 and 200 ms differ by 66.7 % of their mean, equal ones by nothing."""
    assert npvi([np.array([0.1, 0.2] * 6)]) == pytest.approx(100 * 0.1 / 0.15)
    assert npvi([np.full(12, 0.2)]) == 0
    assert npvi([np.array([0.1, 0.2])] * 3) is None  # too few
    # what lies on both sides of a pause are no neighbours
    stretches = intervals_s(np.arange(20) * 0.2 + np.where(np.arange(20) >= 10, 1.0, 0.0), [(2.0, 2.9)])
    assert [len(part) for part in stretches] == [9, 9]
    assert npvi(stretches) == pytest.approx(0, abs=1e-9)


def test_the_fall_of_a_sentence_and_its_end_are_found_as_they_were_made() -> None:
    at = np.arange(0, 2.0, 0.01)
    falls = Track(200 * 2 ** (-3.0 * at / 12), 0.0)  # three semitones a second
    found = movement_of(falls, 0.0, 2.0)
    assert found is not None
    assert found.slope == pytest.approx(-3.0, abs=0.01)
    assert found.last == pytest.approx(-3.0 * (1.925 - 1.0), abs=0.05)
    asks = Track(np.where(at < 1.7, 200.0, 200 * 2 ** (5 / 12)), 0.0)
    assert (found := movement_of(asks, 0.0, 2.0)) is not None
    assert found.last == pytest.approx(5.0, abs=0.01)
    assert movement_of(Track(np.zeros(200), 0.0), 0.0, 2.0) is None
    text = 'Dr. Hale asked: "Is it frost?" It was.'
    times = [(word, float(k), k + 0.9, True) for k, word in enumerate(re.findall(r"\w+", text))]
    told = sentences(text, "en", times)
    assert [(one.question, one.start_s) for one in told] == [(True, 0.0), (False, 6.0)]
    assert sentences(text, "en", [*times[:-1], ("was", 7.0, 7.9, False)]) == []  # a word that is not placed


def test_voice_quality_is_praats_own() -> None:
    """Against Praat bare, through parselmouth: the same commands, and the cepstral peak at Praat's usual step."""
    clip = spoken(" ".join(SENTENCES))
    found = voice_quality(clip)
    sound = parselmouth.Sound(clip.mono().astype(np.float64), sampling_frequency=float(clip.rate_hz))
    periods = call(sound, "To PointProcess (periodic, cc)", 60, 500)
    assert found.jitter_percent == pytest.approx(100 * call(periods, "Get jitter (local)", 0, 0, 1e-4, 0.02, 1.3))
    assert found.shimmer_percent == pytest.approx(
        100 * call([sound, periods], "Get shimmer (local)", 0, 0, 1e-4, 0.02, 1.3, 1.6)
    )
    harmonics = call(sound, "To Harmonicity (cc)", 0.01, 60, 0.1, 1.0)
    assert found.hnr_db == pytest.approx(call(harmonics, "Get mean", 0, 0), abs=0.01)
    usual = call(call(sound, "To PowerCepstrogram", 60, 0.002, 5000, 50), "Get CPPS", "yes", 0.02, 0.0005, 60, 330,
                 0.05, "parabolic", 0.001, 0.05, "Straight", "Robust")  # fmt: skip
    assert found.cpps_db == pytest.approx(usual, abs=0.05)


def test_noise_takes_harmonics_away_and_a_tone_has_no_jitter() -> None:
    x = tone(150, -12, 2.0, RATE).mono().astype(np.float64)
    clear = voice_quality(Clip(samples=as_samples(x), rate_hz=RATE))
    noisy = voice_quality(Clip(samples=as_samples(x + np.random.default_rng(1).normal(0, x.std() / 10, len(x))),
                               rate_hz=RATE))  # fmt: skip
    assert clear.jitter_percent == pytest.approx(0, abs=0.05)
    assert noisy.hnr_db == pytest.approx(20, abs=1)  # a tenth of the amplitude is 20 dB less
    assert clear.hnr_db is not None
    assert clear.hnr_db > 40
    assert voice_quality(Clip(samples=as_samples(np.zeros(RATE)), rate_hz=RATE)).hnr_db is None


def test_what_is_slow_is_measured_only_where_it_is_asked_for(small: Project) -> None:
    project = small
    take = project.takes.all()[0]
    assert "hnr_db" not in project.takes.measured([take.id])[take.id].values
    done, problems = measure_missing(project.takes, project.texts, slow=True)
    assert done == len(project.takes.all())
    assert problems == []
    measured = project.takes.measured([take.id])[take.id]
    assert "hnr_db" in measured.values
    assert "pitch_hz" in measured.values  # what was measured before stands
    assert measure_missing(project.takes, project.texts, slow=True) == (0, [])


def test_pauses_are_told_by_what_stands_in_the_text() -> None:
    text = "One apple, two pears. Three plums four."
    words = [("One", 0.0, 0.5), ("apple", 0.5, 1.0), ("two", 1.3, 1.8), ("pears", 1.8, 2.3), ("Three", 2.9, 3.4),
             ("plums", 3.4, 3.9), ("four", 4.1, 4.6)]  # fmt: skip
    x = np.zeros(round(4.6 * RATE))
    for start, end in [(0.0, 1.0), (1.3, 2.3), (2.9, 3.9), (4.1, 4.6)]:
        a, b = round(start * RATE), round(end * RATE)
        x[a:b] = 0.3 * np.sin(2 * np.pi * 150 * np.arange(b - a) / RATE)
    clip = Clip(samples=as_samples(x), rate_hz=RATE)
    values = registry.measure(clip, text, "en", tuple(words), only=("silence",)).values
    assert values["pause_comma_s"] == pytest.approx(0.3, abs=0.015)
    assert values["pause_sentence_s"] == pytest.approx(0.6, abs=0.015)
    assert values["pauses_elsewhere"] == pytest.approx(60 / 4.6, rel=0.02)
    assert values["pauses_a_minute"] == pytest.approx(180 / 4.6, rel=0.02)
    assert values["pause_share"] == pytest.approx(100 * 1.1 / 4.6, rel=0.03)


def test_takes_of_one_text_lie_apart_as_they_were_made(small: Project) -> None:
    """Pooled within texts, against the plain formula; the interval holds 95 of 100 by the chi-squared law."""
    base = small.takes.all()[0]
    rng, hold = np.random.default_rng(4), 0
    for _ in range(200):
        takes, measured, characters = [], {}, {}
        for version in range(1, 4):
            characters[version] = 100
            for k in range(3):
                number = version * 10 + k
                takes.append(base._replace(id=number, passage_version_id=version, doubts=()))
                pitch = 12 * np.log2(100) + 3 * version + rng.normal(0, 0.5)
                measured[number] = Measured(values={"pitch_hz": float(2 ** (pitch / 12))}, words=(), words_by="")
        found = consistency({1: takes}, measured, characters)[1]["takes", "pitch"]
        hold += found.low <= 0.5 <= found.high
    assert 180 <= hold <= 199
    values = np.log2([measured[t.id].values["pitch_hz"] for t in takes]).reshape(3, 3) * 12
    pooled = np.sqrt(values.var(axis=1, ddof=1).mean())
    assert found.sd == pytest.approx(pooled)
    assert found.high == pytest.approx(pooled * np.sqrt(6 / chi2.ppf(0.025, 6)))
    assert (found.n, found.df) == (9, 6)


def test_a_text_that_takes_every_voice_longer_is_no_change_of_pace(small: Project) -> None:
    base = small.takes.all()[0]
    takes = {
        c: [base._replace(id=10 * c + v, candidate_id=c, passage_version_id=v, doubts=(),
                          duration_s=10 * c * (1.5 if v == 2 else 1.0)) for v in range(1, 5)]
        for c in (1, 2, 3, 4)
    }  # fmt: skip
    takes[3][3] = takes[3][3]._replace(duration_s=takes[3][3].duration_s * 1.2)
    measured = {t.id: Measured(values={}, words=(), words_by="") for of in takes.values() for t in of}
    found = consistency(takes, measured, dict.fromkeys(range(1, 5), 100))
    assert found[1]["texts", "pace"].sd == pytest.approx(0, abs=1e-9)
    assert found[3]["texts", "pace"].sd > 5
    assert ("takes", "pace") not in found[1]  # nothing was repeated


def test_the_odd_cell_is_found_and_rarely_another() -> None:
    """One planted cell of six spreads is the first that is named; of tables without one few name any."""
    rng, alarms, hits, planted = np.random.default_rng(2), 0, 0, 0
    for round_ in range(200):
        noise = rng.normal(0, 1, (8, 6))
        table = 100 + 10 * rng.normal(0, 1, (8, 1)) + 5 * rng.normal(0, 1, (1, 6)) + noise
        alarms += bool(odd_places({(r, c): table[r, c] for r in range(8) for c in range(6)}))
        table[3, 2] += 12
        found = odd_places({(r, c): table[r, c] for r in range(8) for c in range(6) if (r + c + round_) % 7})
        if (3 + 2 + round_) % 7:
            planted += 1
            hits += bool(found) and found[0].place == (3, 2) and abs(found[0].expected - table[3, 2] + 12) < 4
    assert hits >= 0.95 * planted
    assert alarms <= 16  # 1 in 20 of 200, and what chance adds to it (99 %, binomial)
    assert odd_places({(r, c): 1.0 for r in range(3) for c in range(9)}) == ()  # too few candidates


def test_a_limit_is_seen_in_cells_and_profile() -> None:
    of = Where(
        name="measure x", title="x, s", unit=" s", decimals=1, better="lower", columns=((7, "Frost"), (8, "Pears")),
        values={(1, 7): 1.0, (1, 8): 3.0, (2, 7): 2.0}, limit=Limit(at=2.5, kind="most"),
    )  # fmt: skip
    names = {1: "Ada", 2: "Bo", 3: "Never"}
    assert of.order([3, 1, 2]) == [1, 2, 3]
    assert "1 of 3 cells are over your limit of 2.5 s." in of.says(names)
    picture = where_picture(of, names, width=800)
    assert picture is not None
    assert [r.says for r in picture.regions if r.passage_id == 8 and r.candidate_id == 1] == [
        "Ada, Pears: 3.0 s; over your limit"
    ]
    assert len([s for s in picture.shapes if isinstance(s, DrawnLine) and s.colour == "plum"]) == 1
    shades = {s.strength for s in picture.shapes if isinstance(s, Box)}
    assert len(shades) == 3
    assert 'fill-opacity="0.60"' in to_svg(picture, LIGHT)
    line = Line(figure="measure x", words="x", group="g", unit=" s", decimals=1, better="lower", own=3.0,
                interval=(2.0, 9.0), others=(1.0, 2.0), usual=(0.5, 1.5), limit=of.limit)  # fmt: skip
    assert line.place == 3
    assert line.broken
    assert line.unusual
    assert not replace(line, own=1.54).unusual  # it reads as the end of what is usual
    told = says([line], "Ada")
    assert "Ada is beyond your limits: x 3.0 s." in told
    assert "Worst by x." in told
    drawn = profile_picture([line], "Ada", width=800)
    assert drawn is not None
    assert "your limit: at most 2.5" in drawn.regions[0].says


def test_where_reads_what_figures_and_findings_say(small: Project) -> None:
    project = small
    found = evaluate(project)
    passages = project.texts.all()
    rate = where(project, found, "measure speaking_rate", passages, project.brief)
    assert rate is not None
    measured, first = project.takes.measured(), next(iter(found.rows))
    by_version = {p.version_id: p.id for p in passages}
    for candidate, row in found.rows.items():
        for version, passage in by_version.items():
            of = [measured[t.id].values["speaking_rate"] for t in row.summary.takes
                  if t.scored and t.passage_version_id == version]  # fmt: skip
            if of:
                assert rate.values[candidate, passage] == pytest.approx(np.mean(of))
    assert where(project, found, "cost", passages, project.brief) is None  # money has no cells
    assert all(where(project, found, name, passages, project.brief) is not None for name in choices(found))
    hard = where(project, found, "measure speaking_rate", passages, project.brief, by="hard part")
    assert hard is not None
    assert not hard.of_passages
    assert [title for _, title in hard.columns] == ["Names", "none of these"]
    april, *others = passages  # the only text with a name in it
    assert hard.values[first, 0] == rate.values[first, april.id]
    assert hard.values[first, 1] == pytest.approx(np.mean([rate.values[first, p.id] for p in others]))
    kinds = where(project, found, "measure speaking_rate", passages, project.brief, by="kind")
    assert kinds is not None
    assert [title for _, title in kinds.columns] == ["none of these"]
    lines = profile(found, first, project.brief)
    assert any(one.figure == "measure speaking_rate" and one.usual == (140.0, 170.0) for one in lines)


def test_a_copied_take_says_nothing_of_repeats(small: Project) -> None:
    take = small.takes.all()[0]
    copied = [take._replace(id=k, copied_from=take.id) for k in (1, 2, 3)]
    measured = {t.id: Measured(values={"pitch_hz": 100.0}, words=(), words_by="") for t in copied}
    assert consistency({1: copied}, measured, {take.passage_version_id: 10}) == {}
