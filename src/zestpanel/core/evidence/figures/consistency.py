"""Whether a voice is the same twice: a figure for each trait, over takes of one text and over texts."""

from __future__ import annotations

from typing import Final

from zestpanel.core.analysis.consistency import Over
from zestpanel.core.domain.brief import Brief
from zestpanel.core.evidence.declared import Figure, Reading, Start
from zestpanel.core.evidence.known import Known
from zestpanel.core.listening.scores import LanguageScores
from zestpanel.core.texts import tr

# (over what, trait): (words, label, unit, decimals, what is not acceptable; common practice, no source)
_TOLD: Final[dict[tuple[Over, str], tuple[str, str, str, int, float]]] = {
    ("takes", "pace"): (tr("pace between takes"), tr("pace between takes, %"), "%", 1, 8.0),
    ("takes", "pitch"): (tr("pitch between takes"), tr("pitch between takes, semitones"), "semitones", 2, 2.0),
    ("takes", "loudness"): (tr("loudness between takes"), tr("loudness between takes, LU"), "LU", 2, 3.0),
    ("takes", "timbre"): (tr("timbre between takes"), tr("timbre between takes, dB"), "dB", 2, 3.0),
    ("texts", "pace"): (tr("pace between texts"), tr("pace between texts, %"), "%", 1, 15.0),
    ("texts", "pitch"): (tr("pitch between texts"), tr("pitch between texts, semitones"), "semitones", 2, 3.0),
    ("texts", "loudness"): (tr("loudness between texts"), tr("loudness between texts, LU"), "LU", 2, 3.0),
    ("texts", "timbre"): (tr("timbre between texts"), tr("timbre between texts, dB"), "dB", 2, 4.0),
}


def _figure(key: tuple[Over, str], place: int) -> Figure:
    words, label, unit, decimals, worst = _TOLD[key]
    over, trait = key

    def read(of: Known, _: LanguageScores | None) -> Reading:
        found = of.summary.apart.get(key)
        if found is None:
            return Reading(None)
        return Reading(found.sd, found.low, found.high, found.sd / (2 * found.df) ** 0.5, n=found.n)

    def start(_: Brief) -> Start:
        return Start(worst, 0.0, 0)  # weighed by those who set a weight for it

    return Figure(
        name=f"apart {over} {trait}", words=words, label=label, column=f"{trait} between {over} {unit}",
        unit=lambda _: f" {unit}", decimals=decimals, better="lower", place=place, group="same", read=read,
        start=start,
    )  # fmt: skip


def declared() -> tuple[Figure, ...]:
    return tuple(_figure(key, 110 + place) for place, key in enumerate(_TOLD))
