"""Waits: quantiles, lengths, stalls, and circumstances kept apart."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zestpanel.core.analysis.timing.against_length import fit_length
from zestpanel.core.analysis.timing.playback import least_head_start_s, stalls
from zestpanel.core.analysis.timing.points import Circumstances, TimingPoint, usual_circumstances
from zestpanel.core.analysis.timing.rows import timing_rows
from zestpanel.core.analysis.timing.waits import in_words, quantile_interval, waits
from zestpanel.core.audio.clip import Clip
from zestpanel.core.connectors.speaking import Reply
from zestpanel.core.domain.take import Take, Timing
from zestpanel.core.report.drawing import Dot, Dots
from zestpanel.core.report.timing_pictures import points_picture, request_picture
from zestpanel.core.runs.execute.in_pieces import joined


def test_quantiles_are_type_7_and_p99_needs_a_hundred() -> None:
    """Source: Hyndman & Fan (1996), type 7, which NumPy calls 'linear'; by hand the 0.99 quantile of 1..101 is 100."""
    assert waits(range(1, 102)).p99 == pytest.approx(100)
    assert waits(range(1, 100)).p99 is None
    assert waits(range(1, 100)).p95 == pytest.approx(np.quantile(range(1, 100), 0.95, method="linear"))


def test_the_bootstrap_interval_agrees_with_scipys() -> None:
    """Against scipy.stats.bootstrap, percentile method, on the same sample (another random sequence)."""
    from scipy.stats import bootstrap

    sample = np.random.default_rng(3).gamma(2.0, 0.4, 60)
    ours = quantile_interval(sample.tolist(), 0.5)
    theirs = bootstrap((sample,), np.median, method="percentile", n_resamples=4000, rng=np.random.default_rng(7))
    assert ours is not None
    assert ours.low == pytest.approx(theirs.confidence_interval.low, rel=0.04)
    assert ours.high == pytest.approx(theirs.confidence_interval.high, rel=0.04)
    assert quantile_interval([1.0, 2.0], 0.5) is None


def test_bootstrap_intervals_cover_the_median_about_as_often_as_they_say() -> None:
    """Simulated: of 300 samples of 40 waits, the 95 % interval holds the true median in 90 % to 99 %."""
    rng = np.random.default_rng(11)
    true = float(np.exp(0.0))  # the median of a standard log-normal law
    inside = 0
    for k in range(300):
        found = quantile_interval(rng.lognormal(0, 0.6, 40).tolist(), 0.5, seed=k)
        assert found is not None
        inside += found.low <= true <= found.high
    assert 0.90 <= inside / 300 <= 0.99


def test_the_fixed_part_and_the_part_for_each_character_are_found_again() -> None:
    rng = np.random.default_rng(5)
    characters = rng.integers(40, 900, 60)
    waits_s = 0.35 + 0.004 * characters + rng.normal(0, 0.02, 60)
    waits_s[:4] += 5.0  # late replies that would tilt a least-squares line
    fit = fit_length(characters.tolist(), waits_s.tolist())
    assert fit is not None
    assert fit.per_character_s == pytest.approx(0.004, rel=0.05)
    assert fit.fixed_s == pytest.approx(0.35, abs=0.05)
    assert fit.low_s < 0.004 < fit.high_s
    assert fit_length([100] * 9, [1.0] * 9) is None, "one length says nothing of length"
    assert fit_length([10, 20, 30], [1, 2, 3]) is None


def test_stalls_by_hand() -> None:
    """Chunks of a second each, come at 0.2, 0.5, 2.0 and 2.1 s. Begun at the first one, the second is due at 1.2 and
    there, the third due at 2.2 and there: nothing stalls. With the third at 3.0 playback waits 0.8 s at 2.2, and the
    fourth is then due at 4.0."""
    even = ((0.2, 0.0), (0.5, 1.0), (2.0, 2.0), (2.1, 3.0))
    assert stalls(even, 0.0) == []
    late = ((0.2, 0.0), (0.5, 1.0), (3.0, 2.0), (3.1, 3.0))
    found = stalls(late, 0.0)
    assert [(s.at_s, s.of_sound_s, round(s.lasts_s, 6)) for s in found] == [(2.2, 2.0, 0.8)]
    assert stalls(late, 0.8) == []
    assert least_head_start_s(late) == pytest.approx(0.8)


@given(st.lists(st.tuples(st.floats(0, 2), st.floats(0.01, 1)), min_size=1, max_size=30), st.floats(0, 3))
def test_the_least_head_start_is_just_enough(steps: list[tuple[float, float]], extra: float) -> None:
    arrivals = np.cumsum([step for step, _ in steps])
    before = np.concatenate([[0.0], np.cumsum([length for _, length in steps])[:-1]])
    chunks = tuple(zip(arrivals.tolist(), before.tolist(), strict=True))
    least = least_head_start_s(chunks)
    assert stalls(chunks, max(0.0, least) + extra) == []
    if least > 1e-3:
        lost = sum(s.lasts_s for s in stalls(chunks, 0.0))
        assert lost == pytest.approx(least), "all the waiting together is what a head start would have saved"


def _point(candidate: int, take: int, wait: float, at_once: int, **timing: object) -> TimingPoint:
    made = Take(id=take, candidate_id=candidate, passage_version_id=1, repeat=1, obtained="run", clip="",
                duration_s=2.0, rate_hz=16_000, peaks=b"", timing=None, voice_used="", model_used="",
                characters_billed=10, created="2026-05-01T10:00:00+00:00", starred=False, brought=None, sent=None,
                run_id=1, seed=1, asked="", copied_from=None, delivered="", doubts=(), accepted=False, note="",
                removed="")  # fmt: skip
    where = Circumstances(route="programming interface", machine="M", network="wired", at_once=at_once)
    facts = Timing(last_byte_s=wait, decoded_s=wait, first_sound_s=wait / 2, **timing)  # type: ignore[arg-type]
    return TimingPoint(take=made, timing=facts, circumstances=where)


def test_loads_and_routes_are_kept_apart_and_void_waits_are_not_counted() -> None:
    points = [_point(1, k, 1.0 + k / 10, 1) for k in range(6)] + [_point(1, 10 + k, 3.0, 4) for k in range(2)]
    points += [_point(1, 20, 0.01, 1, slept=True), _point(1, 21, 9.0, 1, cold=True), _point(1, 22, 5.0, 1, typed=True)]
    rows = timing_rows(points, "whole clip")
    assert [(r.circumstances.at_once, r.warm.n, len(r.cold), r.void) for r in rows] == [(1, 6, 1, 2), (4, 2, 0, 0)]
    assert rows[0].warm.median == pytest.approx(1.25)
    usual = usual_circumstances(points)
    assert usual is not None
    assert usual.at_once == 1
    picture = points_picture(rows, {1: ("Tangor · Ilseth", "grove")}, "whole clip", width=800)
    assert picture is not None
    assert sum(len(shape.points) for shape in picture.shapes if isinstance(shape, Dots)) == 6 + 2
    assert sum(isinstance(shape, Dot) for shape in picture.shapes) == 1
    assert any("2 typed or slept through, not counted" in region.says for region in picture.regions)
    assert points_picture([], {}, "whole clip", width=800) is None


def test_one_request_in_full_names_each_phase_and_its_stalls() -> None:
    chunks = ((0.4, 0.0), (1.9, 1.0))
    timing = Timing(connected_s=0.01, sent_s=0.02, first_byte_s=0.39, first_sound_s=0.4, last_byte_s=1.9,
                    decoded_s=1.91, chunks=chunks)  # fmt: skip
    found = stalls(chunks, 0.0)
    picture = request_picture(timing, 2.0, found, 0.0, width=800)
    said = [region.says for region in picture.regions]
    assert said[2] == "first byte: at 0.390 s, 370.0 ms after the phase before"
    assert len(said) == 6
    assert sum(getattr(shape, "fill", "") == "zest-pale" for shape in picture.shapes) == len(found) == 1


def test_give_ups_count_as_later_than_any() -> None:
    """A service that dies one time in ten answers nobody within any time that 95 of 100 would accept.
    reference: the same quantiles with a wait of a million seconds for each give-up."""
    points = np.random.default_rng(2).gamma(4, 0.1, 45).tolist()
    found = waits(points, gave_up=5)
    assert (found.n, found.p95) == (50, np.inf)
    assert found.median == pytest.approx(np.quantile([*points, *[1e6] * 5], 0.5))
    assert found.share_within(10.0) == 0.9
    seldom = waits(points, gave_up=1)
    assert seldom.p95 == pytest.approx(np.quantile([*points, 1e6], 0.95))
    sure = quantile_interval(points, 0.5, gave_up=5)
    assert sure is not None
    assert sure.low < found.median < sure.high < np.inf
    assert in_words(found.p95) == "gave up"
    assert (in_words(1.234), in_words(None)) == ("1.23 s", "")
    assert waits([], gave_up=4).median is None


def test_pieces_one_after_another_start_stall_free_by_the_joined_clip() -> None:
    """By hand: two pieces of 1 s that arrive whole after 0.4 s each; the second is there after 0.8 s and due after the
    first and the gap, so that playback may begin with the first."""

    def reply() -> Reply:
        clip = Clip(samples=np.concatenate([np.zeros(1600), 0.3 * np.sin(np.arange(12_800) / 9), np.zeros(1600)]),
                    rate_hz=16_000)  # fmt: skip
        timing = Timing(last_byte_s=0.4, first_sound_s=0.4, decoded_s=0.4, chunks=((0.4, 0.0),))
        return Reply(data=b"", clip=clip, timing=timing)

    one = joined([reply(), reply()])
    assert one.timing is not None
    (first, _), (second, before) = one.timing.chunks
    assert (first, second) == (0.4, 0.8)
    assert before == pytest.approx(one.clip.duration_s - 1.0, abs=0.02), "where it begins in the joined clip"
    assert one.timing.stall_free_start_s() == 0.4
    assert one.timing.joins_s == (before,)
