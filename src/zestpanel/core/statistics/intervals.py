"""Intervals for means and shares."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

from zestpanel.core.errors import NotEnoughData

DRAWS: Final = 10_000


def special() -> Any:
    """SciPy's distribution functions, imported on first use: they are heavy, and left out of the program's start."""
    from scipy import special

    return special


@dataclass(frozen=True, slots=True, kw_only=True)
class Interval:
    """An estimate with its 95 % interval; n counts the independent units it rests on; method names the rule."""

    estimate: float
    low: float
    high: float
    n: int
    method: str


def t_interval(values: ArrayLike, *, level: float = 0.95) -> Interval:
    """Mean with Student's t interval. Raises NotEnoughData below two values."""
    x = np.asarray(values, dtype=float)
    if len(x) < 2:
        raise NotEnoughData(f"An interval needs two values, there {'is' if len(x) == 1 else 'are'} {len(x)}.")
    half = float(special().stdtrit(len(x) - 1, (1 + level) / 2) * x.std(ddof=1) / np.sqrt(len(x)))
    return Interval(
        estimate=float(x.mean()), low=float(x.mean()) - half, high=float(x.mean()) + half, n=len(x), method="t"
    )


def wilson_interval(successes: int, n: int, *, level: float = 0.95) -> Interval:
    """Share with Wilson's score interval (Wilson 1927). Raises NotEnoughData for n = 0."""
    if n == 0:
        raise NotEnoughData("A share of nothing has no interval.")
    z = float(special().ndtri((1 + level) / 2))
    p = successes / n
    middle = (p + z * z / (2 * n)) / (1 + z * z / n)
    half = z / (1 + z * z / n) * float(np.sqrt(p * (1 - p) / n + z * z / (4 * n * n)))
    return Interval(estimate=p, low=max(0.0, middle - half), high=min(1.0, middle + half), n=n, method="Wilson")


def bootstrap_draws(scores: NDArray[np.float64], rng: np.random.Generator, draws: int = DRAWS) -> NDArray[np.float64]:
    """Means under resampling of listeners *and* passages, shape (candidates, draws).

    scores: (candidates, listeners, passages), NaN where not rated. Both factors are drawn with replacement and
    independently, the same draw for all candidates (so that differences are paired): the 'pigeonhole' bootstrap
    of crossed data (Owen 2007, The pigeonhole bootstrap, Annals of Applied Statistics 1).
    A draw in which a candidate has no rating at all takes its overall mean.
    """
    count, listeners, passages = scores.shape
    of_listeners = rng.multinomial(listeners, np.full(listeners, 1 / listeners), size=draws).astype(np.float64)
    of_passages = rng.multinomial(passages, np.full(passages, 1 / passages), size=draws).astype(np.float64)
    have = ~np.isnan(scores)
    filled = np.where(have, scores, 0.0)
    out = np.empty((count, draws))
    full = np.full(draws, float(listeners * passages))
    for c in range(count):
        total = ((of_listeners @ filled[c]) * of_passages).sum(axis=1)
        n = full if have[c].all() else ((of_listeners @ have[c].astype(float)) * of_passages).sum(axis=1)
        mean = filled[c].sum() / max(1, have[c].sum())
        out[c] = np.where(n > 0, total / np.maximum(n, 1e-12), mean)
    return out


def small_sample_factor(scores: NDArray[np.float64], *, level: float = 0.95) -> float:
    """What the bootstrap's deviations are multiplied by, for one candidate's (listeners, passages), NaN allowed.

    The pigeonhole bootstrap of few units errs twice: it counts the residual part of the variance three times, and
    its percentiles act like a normal law. Its deviations are therefore scaled by sqrt(V / V_boot) and by t / z, where
    V = v_L + v_P - v_E is the variance of a grand mean in a crossed design with random listeners and passages
    (v: variance of listener means, of passage means, and of the residual, each over its count; never below v_L or
    v_P alone), V_boot the bootstrap's own expectation, and t has Satterthwaite's (1946) degrees of freedom.
    Chosen because simulated coverage of 95 % intervals then holds (see the tests).
    """
    rated = ~np.isnan(scores)
    scores, rated = scores[rated.any(axis=1)], rated[rated.any(axis=1)]
    scores, rated = scores[:, rated.any(axis=0)], rated[:, rated.any(axis=0)]
    people, texts = scores.shape
    if people < 2 and texts < 2:
        return 1.0
    filled = np.where(rated, scores, 0.0)
    of_people = filled.sum(axis=1) / rated.sum(axis=1)
    of_texts = filled.sum(axis=0) / rated.sum(axis=0)
    v_people = float(of_people.var(ddof=1)) / people if people > 1 else 0.0
    v_texts = float(of_texts.var(ddof=1)) / texts if texts > 1 else 0.0
    n = int(rated.sum())
    df_rest = n - people - texts + 1
    if people > 1 and texts > 1 and df_rest > 0:
        rest = np.where(rated, scores - of_people[:, None] - of_texts[None, :] + scores[rated].mean(), 0.0)
        v_rest = float((rest**2).sum()) / df_rest / n
    else:
        v_rest, df_rest = 0.0, 1
    true = max(v_people + v_texts - v_rest, v_people, v_texts)
    booted = (
        v_people * (people - 1) / people
        + v_texts * (texts - 1) / texts
        + v_rest * (people - 1) * (texts - 1) / (people * texts)
    )
    if true <= 0 or booted <= 0:
        return 1.0
    spread = v_people**2 / max(1, people - 1) + v_texts**2 / max(1, texts - 1) + v_rest**2 / df_rest
    df = max(1.0, true**2 / spread)
    q = (1 + level) / 2
    return float(special().stdtrit(df, q) / special().ndtri(q) * np.sqrt(true / booted))


def crossed_intervals(
    scores: NDArray[np.float64], rng: np.random.Generator, *, draws: int = DRAWS, level: float = 0.95
) -> list[Interval | None]:
    """Mean with crossed cluster bootstrap interval per candidate, None where there are no two ratings.

    scores: (candidates, listeners, passages), NaN where not rated.
    """
    means = bootstrap_draws(scores, rng, draws)
    tail = (1 - level) / 2
    lows, highs = np.quantile(means, [tail, 1 - tail], axis=1)
    out: list[Interval | None] = []
    for c, one in enumerate(scores):
        rated = ~np.isnan(one)
        if rated.sum() < 2:
            out.append(None)
            continue
        mean = float(one[rated].mean())
        factor = small_sample_factor(one, level=level)
        out.append(
            Interval(
                estimate=mean,
                low=mean + factor * (float(lows[c]) - mean),
                high=mean + factor * (float(highs[c]) - mean),
                n=int(rated.any(axis=1).sum()),
                method="crossed bootstrap",
            )
        )
    return out
