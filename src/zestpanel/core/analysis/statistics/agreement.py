"""How far a panel agrees."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from zestpanel.core.errors import NotEnoughData
from zestpanel.core.texts import tr


@dataclass(frozen=True, slots=True, kw_only=True)
class Icc:
    """single: ICC(2,1), one listener's reliability. average: ICC(2,k), that of the panel's mean, which has no lower
    bound. Neither is floored at 0; None where what it is divided by is not positive: it is undefined then."""

    single: float | None
    average: float | None
    items: int
    listeners: int


def intraclass_correlation(ratings: ArrayLike) -> Icc:
    """ICC(2,1) and ICC(2,k): two-way random effects, absolute agreement (Shrout & Fleiss 1979, table 2 and eqs. for
    case 2).

    ratings: (items, listeners), complete. Raises NotEnoughData for fewer than two of either or missing values.
    """
    x = np.asarray(ratings, dtype=float)
    if x.ndim != 2 or min(x.shape) < 2:
        raise NotEnoughData(tr("Agreement needs two items and two listeners."))
    if np.isnan(x).any():
        raise NotEnoughData(tr("Agreement needs every listener to have rated every item."))
    n, k = x.shape
    grand = x.mean()
    bms = k * float(((x.mean(axis=1) - grand) ** 2).sum()) / (n - 1)
    jms = n * float(((x.mean(axis=0) - grand) ** 2).sum()) / (k - 1)
    residual = x - x.mean(axis=1, keepdims=True) - x.mean(axis=0, keepdims=True) + grand
    ems = float((residual**2).sum()) / ((n - 1) * (k - 1))
    single_below = bms + (k - 1) * ems + k * (jms - ems) / n
    average_below = bms + (jms - ems) / n
    if bms == jms == ems == 0:
        raise NotEnoughData(tr("All ratings are the same: agreement is not defined."))
    single, average = ((bms - ems) / below if below > 0 else None for below in (single_below, average_below))
    if single is not None and single < -1:
        single = None  # one listener's is a correlation
    return Icc(single=single, average=average, items=n, listeners=k)


def krippendorff_alpha(ratings: ArrayLike) -> float:
    """Alpha for interval data (Krippendorff 2011, Computing Krippendorff's Alpha-Reliability): 1 less the disagreement
    observed over that expected by chance; 1 is full agreement, 0 what chance gives.

    ratings: (items, listeners), NaN where a listener did not rate. Raises NotEnoughData where no item has two ratings,
    or where all ratings are the same.
    """
    x = np.asarray(ratings, dtype=float)
    x = x[(~np.isnan(x)).sum(axis=1) >= 2] if x.ndim == 2 else np.empty((0, 0))
    if not x.size:
        raise NotEnoughData(tr("Agreement needs items that two listeners have rated."))
    observed = 0.0
    for row in x:
        own = row[~np.isnan(row)]
        # over all ordered pairs of an item the squared differences sum to 2 m times the sum of squares about the mean
        observed += 2 * len(own) * float(((own - own.mean()) ** 2).sum()) / (len(own) - 1)
    every = x[~np.isnan(x)]
    n = len(every)
    expected = 2 * n * float(((every - every.mean()) ** 2).sum()) / (n - 1)
    if expected == 0:
        raise NotEnoughData(tr("All ratings are the same: agreement is not defined."))
    return 1 - observed / expected
