"""The mixer, judged on what would have been heard."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import tone
from zestpanel.core.audio.clip import Clip
from zestpanel.core.errors import AudioError
from zestpanel.core.measures.loudness import integrated_loudness
from zestpanel.core.playback.mixer import RATE_HZ, Lane, Mixer, bed_of, prepare_lanes
from zestpanel.core.playback.text_axis import text_axis

BLOCK = 600


def lane(key: int, hz: float, seconds: float, words: list[tuple[str, float, float, bool]] | None = None) -> Lane:
    clip = tone(hz, -14, seconds, RATE_HZ)
    return Lane(key=key, samples=np.repeat(clip.samples, 2, axis=1), axis=text_axis(words or [], seconds, count=3))


def word_list(*starts: float, end: float) -> list[tuple[str, float, float, bool]]:
    edges = [*starts, end]
    return [(f"w{k}", a, b, True) for k, (a, b) in enumerate(pairwise(edges))]


def played(mixer: Mixer, frames: int) -> np.ndarray:
    return np.concatenate([mixer.render(BLOCK) for _ in range(frames // BLOCK)])


def steepest(x: np.ndarray) -> float:
    """Greatest second difference: what a click is."""
    return float(np.abs(np.diff(x[:, 0], n=2)).max())


def test_swap_lands_on_the_same_word_in_the_next_block() -> None:
    slow = lane(1, 220, 4, word_list(0.5, 1.5, 2.5, end=3.5))
    quick = lane(2, 330, 2, word_list(0.2, 0.7, 1.2, end=1.7))
    mixer = Mixer()
    mixer.load([slow, quick])
    mixer.seek(2.0)
    mixer.play()
    mixer.render(BLOCK)
    assert mixer.place == pytest.approx(1.5, abs=0.03)
    before = mixer.place
    mixer.swap(1)
    assert mixer.place == pytest.approx(before, abs=1e-3)
    assert mixer.time_s == pytest.approx(0.95, abs=0.02)
    out = mixer.render(BLOCK * 4)
    spectrum = np.abs(np.fft.rfft(out[BLOCK:, 0] * np.hanning(len(out) - BLOCK)))
    peak_hz = np.fft.rfftfreq(len(out) - BLOCK, 1 / RATE_HZ)[spectrum.argmax()]
    assert peak_hz == pytest.approx(330, abs=20), "12 ms later only the other clip is heard"


ACTIONS = ("play", "pause", "swap", "seek", "place", "lay", "load", "none")


@given(
    st.lists(st.tuples(st.sampled_from(ACTIONS), st.floats(0, 2.9), st.integers(20, 1_500)), min_size=4, max_size=20)
)
def test_nothing_clicks_whatever_is_done_how_fast_and_in_what_blocks(deeds: list[tuple[str, float, int]]) -> None:
    mixer = Mixer()
    lanes = [lane(1, 220, 3, word_list(0.5, 1.0, 2.0, end=2.8)), lane(2, 220, 3, word_list(0.45, 1.1, 1.9, end=2.7))]
    bed = np.repeat(tone(110, -30, 1, RATE_HZ).samples, 2, axis=1)
    mixer.load(lanes)
    pure = steepest(lane(1, 220, 3).samples)
    does = {
        "play": lambda _: mixer.play(), "pause": lambda _: mixer.pause(), "swap": lambda _: mixer.swap(1 - mixer.on),
        "seek": mixer.seek, "place": mixer.seek_place, "load": lambda place: mixer.load(lanes, place=place),
        "lay": lambda when: mixer.lay_bed(bed if when > 1 else None), "none": lambda _: None,
    }  # fmt: skip
    mixer.play()
    pieces = []
    for deed, value, block in deeds:
        does[deed](value)
        pieces.append(mixer.render(block))
    assert steepest(np.concatenate(pieces)) < 4 * pure
    cut = np.concatenate([lane(1, 220, 1).samples[:1000], lane(1, 220, 1).samples[1054:2000]])
    assert steepest(cut) > 20 * pure, "a hard cut would be seen by this measure"


def test_no_drift_and_the_end_is_the_end() -> None:
    mixer = Mixer()
    mixer.load([lane(1, 200, 1.0)])
    mixer.play()
    out = played(mixer, RATE_HZ + 4 * BLOCK)
    expected = lane(1, 200, 1.0).samples
    assert np.allclose(out[600:RATE_HZ], expected[600:], atol=1e-6), "sample for sample after the fade-in"
    assert not mixer.playing
    assert np.abs(out[RATE_HZ:]).max() == 0
    mixer.play()
    assert mixer.time_s == 0, "playing again starts again"


def test_silence_when_paused_and_when_empty() -> None:
    mixer = Mixer()
    assert np.abs(mixer.render(100)).max() == 0
    mixer.play()
    assert not mixer.playing
    mixer.load([lane(1, 200, 1.0)])
    assert np.abs(mixer.render(1000)).max() == 0


def test_heard_share_counts_what_was_rendered() -> None:
    mixer = Mixer()
    mixer.load([lane(7, 200, 2.0)])
    mixer.play()
    played(mixer, RATE_HZ)
    assert mixer.heard_share(7) == pytest.approx(0.5, abs=0.03)
    mixer.seek(0)
    played(mixer, RATE_HZ)
    assert mixer.heard_share(7) == pytest.approx(0.5, abs=0.03), "hearing the same half twice is half"


def test_lanes_are_equally_loud_and_never_clip() -> None:
    rng = np.random.default_rng(1)
    peaky = 0.02 * rng.standard_normal(32_000)
    peaky[::8000] = 0.9
    clips = [tone(400, -6, 2, 22_050), tone(300, -40, 2, 16_000, channels=2), Clip(samples=peaky, rate_hz=16_000)]
    lanes, target = prepare_lanes([(k, clip, (), 3) for k, clip in enumerate(clips)])
    levels = [integrated_loudness(Clip(samples=one.samples, rate_hz=RATE_HZ))[0] for one in lanes]
    assert levels == pytest.approx([target] * 3, abs=0.1), "mono and stereo alike, as heard"
    assert max(float(np.abs(one.samples).max()) for one in lanes) <= 1.0
    assert target < -23.0, "the peaky clip lowers the target for all"


@given(
    st.lists(st.floats(0.05, 1.0), min_size=2, max_size=12), st.floats(0.0, 1.0), st.floats(0.0, 0.5),
    st.floats(0.0, 0.9999),
)  # fmt: skip
def test_the_text_axis_goes_there_and_back(spans: list[float], lead: float, tail: float, share: float) -> None:
    edges = np.concatenate([[0.0], np.cumsum(spans)]) + lead
    words = [(f"w{k}", float(a), float(b), True) for k, (a, b) in enumerate(pairwise(edges))]
    axis = text_axis(words, float(edges[-1]) + tail)
    time_s = share * axis.duration_s
    assert axis.time_at(axis.place_at(time_s)) == pytest.approx(time_s, abs=1e-6)
    for k, (_, start, _, _) in enumerate(words):
        assert axis.place_at(start) == pytest.approx(k, abs=2e-3), "to the sample"


def test_words_not_found_leave_a_straight_axis() -> None:
    axis = text_axis([("a", 0.1, 0.2, False)], 2.0, count=4)
    assert not axis.aligned
    assert text_axis([], 2.0, count=4).place_at(1.0) == pytest.approx(2.0)


@given(block=st.integers(37, 2_000), first=st.floats(0.0, 0.9), span=st.floats(0.3, 1.5))
def test_a_loop_goes_round_without_a_click_wherever_blocks_end(block: int, first: float, span: float) -> None:
    mixer = Mixer()
    mixer.load([lane(1, 220, 4, word_list(0.5, 1.5, 2.5, end=3.5))])
    smooth = steepest(np.repeat(tone(220, -14, 1, RATE_HZ).samples, 2, axis=1))
    mixer.set_loop((first, min(3.0, first + span)))
    mixer.play()
    out = np.concatenate([mixer.render(block) for _ in range(4 * RATE_HZ // block)])
    assert steepest(out[RATE_HZ // 10 :]) < 2.5 * smooth
    assert mixer.playing
    assert first - 0.01 <= mixer.place <= first + span + 0.01


def test_a_bed_lies_under_all_lanes_and_never_breaks() -> None:
    rng = np.random.default_rng(1)
    noise = np.convolve(rng.standard_normal(RATE_HZ), np.ones(48) / 48, "same").astype(np.float32)
    bed = bed_of(Clip(samples=noise, rate_hz=RATE_HZ), lufs=-45.0)
    lufs, _ = integrated_loudness(Clip(samples=np.tile(bed, (4, 1)), rate_hz=RATE_HZ))
    assert lufs == pytest.approx(-45.0, abs=0.5)
    assert np.abs(bed).max() <= 0.1
    mixer = Mixer()
    silent = Lane(key=1, samples=np.zeros((3 * RATE_HZ, 2), dtype=np.float32), axis=text_axis([], 3.0, count=1))
    mixer.load([silent, Lane(key=2, samples=silent.samples, axis=silent.axis)])
    mixer.lay_bed(bed)
    mixer.play()
    before = played(mixer, 12_000)
    mixer.swap(1)
    out = np.concatenate([before, played(mixer, 96_000)])
    wanted = np.tile(bed, (4, 1))[: len(out)]
    assert np.abs(out[BLOCK:] - wanted[BLOCK:]).max() < 1e-6, "on through the swap, and round at its end"
    with pytest.raises(AudioError, match="silent or too short"):
        bed_of(Clip(samples=np.zeros(RATE_HZ, dtype=np.float32), rate_hz=RATE_HZ), lufs=-45.0)
