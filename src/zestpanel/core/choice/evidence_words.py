"""What the measures and waits say, before any picture or table: who is quickest, whose words are wrong, what is odd."""

from __future__ import annotations

from typing import Final

from zestpanel.core.analysis.timing.waits import in_words
from zestpanel.core.choice.evidence import Evaluation
from zestpanel.core.choice.row import Row
from zestpanel.core.texts import some_of, tr, trn

WRONG_WORDS: Final = 5.0  # percent, from which on it is worth a sentence (common practice, no source)
FAILING: Final = 0.02


def evidence_in_words(found: Evaluation) -> list[str]:
    """A sentence each. Waits are compared by their medians, and no one is called quicker where there are too few."""
    rows = [row for row in found.rows.values() if row.summary.takes]
    if not rows:
        return []
    out = [*_waits(rows), *_words(rows), *_odd(rows), *_once(rows)]
    return out or [tr("Nothing stands out.")]


def _waits(rows: list[Row]) -> list[str]:
    timed = [(row.summary.whole_clip.median, row) for row in rows if row.summary.whole_clip.median is not None]
    timed = [(wait, row) for wait, row in timed if wait is not None]
    if len(timed) < 2:
        return []
    timed.sort(key=lambda one: one[0] or 0.0)
    quick, slow = timed[0], timed[-1]
    return [
        tr(
            "Waits for a whole clip: {name} answers in {in_words}, {name2} in {in_words2} (medians).",
            name=quick[1].name,
            in_words=in_words(quick[0] or 0.0),
            name2=slow[1].name,
            in_words2=in_words(slow[0] or 0.0),
        )
    ]


def _words(rows: list[Row]) -> list[str]:
    wrong = [(figure.median, row.name) for row in rows if (figure := row.summary.sound.get("words_wrong")) is not None]
    worst = sorted((one for one in wrong if one[0] > WRONG_WORDS), reverse=True)
    if not wrong:
        return []
    if not worst:
        return [tr("No candidate has more than {wrong_words} % of words wrong.", wrong_words=f"{WRONG_WORDS:g}")]
    named = ", ".join(f"{name} {value:.0f} %" for value, name in worst[:3])
    return [
        tr("Words wrong in more than {wrong_words} %: {named}", wrong_words=f"{WRONG_WORDS:g}", named=named)
        + (tr(" and {worst} more.", worst=len(worst) - 3) if len(worst) > 3 else ".")
    ]


def _odd(rows: list[Row]) -> list[str]:
    failing = [row for row in rows if row.summary.failure_rate and row.summary.failure_rate.estimate > FAILING]
    out = []
    if failing:
        named = ", ".join(f"{row.name} {100 * row.summary.failure_rate.estimate:.0f} %" for row in failing[:3]
                          if row.summary.failure_rate)  # fmt: skip
        out.append(tr("Requests that fail: {named}.", named=named))
    other = [f"{row.name} ({row.summary.odd_voice})" for row in rows if row.summary.odd_voice]
    if other:
        out.append(tr("Another voice answered for {other}.", other=", ".join(other[:3])))
    doubted = sum(row.summary.doubted for row in rows)
    if doubted:
        out.append(
            trn(
                "{doubted} take was odd on arrival and is not scored.",
                "{doubted} takes were odd on arrival and are not scored.",
                doubted,
                doubted=doubted,
            )
        )
    return out


def _once(rows: list[Row]) -> list[str]:
    """Of a voice that was asked for each text once, nobody knows whether it is the same twice."""
    once = [row.name for row in rows if row.summary.takes and not any(over == "takes" for over, _ in row.summary.apart)]
    if not once:
        return []
    return [trn("One candidate has too few repeats to tell whether it is the same twice: {names}.",
                "{n} candidates have too few repeats to tell whether they are the same twice: {names}.", len(once),
                n=len(once), names=some_of(once, 3))]  # fmt: skip
