"""What a real engine does when a setting is pushed too far: takes come out different each time, and words get lost."""

from __future__ import annotations

from typing import Final

import numpy as np

STEADY_UP_TO: Final = 1.5


def pushed_too_far(text: str, liveliness: float, seed: int) -> tuple[str, float]:
    """(the text as it will be spoken, a factor of the pace). Up to a liveliness of 1.5 nothing happens.

    Beyond it the pace wanders by up to 40 % and up to a third of the words are lost at the top of the range (2.0),
    decided by the seed. Marked-up text keeps its words.
    """
    over = (liveliness - STEADY_UP_TO) / 0.5
    if over <= 0:
        return text, 1.0
    rng = np.random.default_rng([seed, 977])
    factor = 1.0 + 0.4 * min(1.0, over) * float(rng.uniform(-1, 1))
    words = text.split(" ")
    if "<" not in text and len(words) > 3:
        lost = rng.random(len(words)) < min(1.0, over) / 3
        lost[0] = False
        text = " ".join(word for word, gone in zip(words, lost, strict=True) if not gone)
    return text, factor
