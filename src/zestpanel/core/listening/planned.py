"""What a planned test asks of a listener, before it is opened: trials and minutes, and whether it can be opened at
all."""

from __future__ import annotations

from collections.abc import Mapping, Set
from dataclasses import dataclass
from typing import Final

import numpy as np

from zestpanel.core.domain.listening import QUALITY, RATING, PlannedTrial
from zestpanel.core.listening.anchors import MID_HZ, TRANSITION_HZ
from zestpanel.core.listening.content import wrong_with_content
from zestpanel.core.listening.design import judged, with_gold, with_repeats
from zestpanel.core.listening.entry import wrong_with_entry
from zestpanel.core.listening.material import Cell, drawn, pool_of
from zestpanel.core.listening.registry import kind_of, kinds
from zestpanel.core.listening.scales import OWN, SCALES, scale_of, wrong_with_steps
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.runs.files.clip_names import RenderedParts
from zestpanel.core.store.takes import Takes
from zestpanel.core.store.texts import Texts
from zestpanel.core.texts import tr

LONG_MIN: Final = 30  # a listener's sitting (common practice, no source)
ANSWERING_S: Final = 4.0  # to make up one's mind about a question (common practice, no source)


@dataclass(frozen=True, slots=True, kw_only=True)
class ListenerLoad:
    """why_not: a sentence on what keeps the test from being opened, '' for nothing. warns: of the kind's screening.
    balanced_from: the number of listeners from which on orders are balanced, None where that is not counted. rates_hz:
    of the clips, each once."""

    trials: int
    minutes: int
    candidates: int
    passages: int
    why_not: str = ""
    warns: str = ""
    balanced_from: int | None = None
    rates_hz: tuple[int, ...] = ()

    def says(self) -> str:
        if self.why_not:
            return self.why_not
        long = (
            ""
            if self.minutes <= LONG_MIN
            else tr(" Longer than {long_min} minutes tires: fewer candidates, passages or trials.", long_min=LONG_MIN)
        )
        said = tr(
            "{trials} trials, about {minutes} min a listener.{long}",
            trials=self.trials,
            minutes=self.minutes,
            long=long,
        )
        if self.balanced_from is not None and self.balanced_from > 1:
            said += tr(" Orders are balanced from {n} listeners on.", n=self.balanced_from)
        if len(self.rates_hz) > 1:
            rates = ", ".join(f"{rate / 1000:g}" for rate in self.rates_hz)
            said += tr(" Clips are of {rates} kHz: what lies above half the lowest is heard in some only.", rates=rates)
        return f"{said} {self.warns}".rstrip()


@dataclass(frozen=True, slots=True)
class Material:
    """What the planning needs of a project, read once: all takes that could be heard, how long each lasts, and the
    language of each passage version."""

    takes: Takes
    texts: Texts
    lasts: Mapping[int, float]
    languages: Mapping[int, str]
    rates: Mapping[int, int]


def material_of(project: RenderedParts) -> Material:
    return Material(
        project.takes, project.texts, {take.id: take.duration_s for take in project.takes.all(with_timing=False)},
        {p.version_id: p.language for p in project.texts.all()},
        {take.id: take.rate_hz for take in project.takes.all(with_timing=False)},
    )  # fmt: skip


def asked_of_a_listener(material: Material, kind_name: str, settings: TestSettings) -> ListenerLoad:
    kind = kind_of(kind_name)
    able: Mapping[Cell, int] = drawn(pool_of(material.takes, material.texts, settings), settings, listener=0)
    rng = np.random.default_rng(1)
    own = judged(able, settings)
    planned = with_repeats(kind.design(own, settings, listener=0, rng=rng), settings, rng) if own else []
    checks = settings.traps + len(with_gold(planned, able, settings, rng)) - len(planned) if planned else 0
    questions = len(kind.shown(planned[0], settings).questions) if planned else 1
    seconds = sum(_heard_s(one, material.lasts) + ANSWERING_S * questions for one in planned)
    return ListenerLoad(
        trials=len(planned) + checks, minutes=max(1, round(seconds / 60)),
        candidates=len({c for c, _ in able if c in settings.candidate_ids}),
        passages=len({version for _, version in able}),
        why_not=(_why_not(kind_name, settings, {v for _, v in own}, something=bool(planned))
                 or _no_anchor(able, settings, material)),
        balanced_from=kind.balanced_from(len({c for c, _ in able if c in settings.candidate_ids}),
                                         len({version for _, version in able}), settings),
        rates_hz=tuple(sorted({material.rates[take] for (c, _), take in able.items()
                               if c in settings.candidate_ids and take in material.rates})),
        warns=kind.warns(sum(not one.training for one in planned), settings),
    )  # fmt: skip


def _why_not(kind_name: str, settings: TestSettings, texts: Set[int], *, something: bool) -> str:
    """texts: versions of those that there are clips of. something: whether a listener would hear anything."""
    kind = kind_of(kind_name)
    title = f"{kind.title[:1].upper()}{kind.title[1:]}"
    own_scale = "scale" in kind.uses and settings.scale == OWN
    if ("question" in kind.uses or own_scale) and not settings.question:
        return tr("Write the question that listeners answer.")
    if own_scale and (problem := wrong_with_steps(settings.steps)):
        return problem
    if not settings.candidate_ids or not settings.passage_ids:
        return tr("Tick whose clips are heard, and of which passages: few of each, well chosen, tell more than all.")
    if len(settings.candidate_ids) < kind.fewest_candidates:
        return tr(
            "{title} needs at least {fewest_candidates} candidates.",
            title=title,
            fewest_candidates=kind.fewest_candidates,
        )
    if needs_reference(kind_name) and not settings.reference_id:
        return tr("{title} needs recordings of a person to compare with: choose whose.", title=title)
    if settings.gold and "gold" in kind.uses and not settings.gold_ids:
        return tr("Checks by known quality need a candidate that is surely good, or surely poor, and is not judged.")
    if settings.gold and "scale" in kind.uses and not scale_of(settings).ordered:
        return tr("On this scale the middle is best, so no clip is surely good or poor: take those checks out.")
    if problem := wrong_with_entry(settings.entry):
        return problem
    if "content" in kind.uses and texts and (problem := wrong_with_content(settings.content, texts)):
        return problem
    if not something:
        return tr("No passage has clips of enough of these candidates: render the missing takes first.")
    return ""


def _no_anchor(able: Mapping[Cell, int], settings: TestSettings, material: Material) -> str:
    """An anchor is the reference without its upper frequencies: one that has none would be the reference again."""
    if not settings.anchors:
        return ""
    least = min((material.rates.get(take, 0) for (c, _), take in able.items() if c == settings.reference_id), default=0)
    if not 0 < least < 2 * (MID_HZ + TRANSITION_HZ):
        return ""
    return tr("The recordings are of {rate} kHz, so an anchor without what lies above 7 kHz would be the reference "
              "itself: take the anchors out, or record wider.", rate=f"{least / 1000:g}")  # fmt: skip


def needs_reference(kind_name: str) -> bool:
    """Whether the kind makes no sense without a person's recordings; on a line of many they are welcome only."""
    uses = kind_of(kind_name).uses
    return "reference" in uses and "anchors" not in uses


def _heard_s(trial: PlannedTrial, lasts: Mapping[int, float]) -> float:
    return sum(lasts.get(s.take_id, 0.0) for s in trial.stimuli if s.take_id is not None)


_WHEN: Final[Mapping[tuple[str, str], str]] = {
    (RATING, "effort"): tr(
        "How hard it feels. Quick, and tells little where all are understood. What is really understood is "
        "told by writing down what one hears."
    ),
    (RATING, "comprehension"): tr(
        "Whether single words are hard: names, figures, foreign words. How hard it is on the whole is asked by effort."
    ),
    ("dictation", QUALITY): tr(
        "What is really understood, word by word. Slow for listeners: few passages, which nobody knows, with "
        "hard words in them."
    ),
    (RATING, QUALITY): tr(
        "A first look at many. Where the best lie close together, ask which of two one would publish."
    ),
    ("preference", QUALITY): tr(
        "The sharpest question between a few: two clips of the same words, one after the other."
    ),
    ("CCR", QUALITY): tr("As a preference, and by how much: for small differences between a few."),
    ("ABX", QUALITY): tr(
        "Whether there is any difference at all, not which is better: for settings, formats and versions."
    ),
    ("multi-stimulus", QUALITY): tr(
        "Up to nine beside one another on one line: the finest order of a few on one passage."
    ),
    ("DCR", QUALITY): tr("What is lost against a recording of the same words."),
    ("triple", QUALITY): tr("For losses that are hardly heard: every sample beside the recording, hidden and open."),
    ("likeness", QUALITY): tr(
        "For made voices of a person. Another sentence is heard, so the voice is compared, not the line."
    ),
    ("match", QUALITY): tr("For single lines put into a recording: does the patch stand out?"),
}


def when_to_ask(kind: str, scale: str) -> str:
    """A line on when to take a kind, or a scale, and not its neighbours (common practice, no source); '' for none."""
    return _WHEN.get((kind, scale), "")


def questions() -> list[tuple[str, str, str]]:
    """(what the lead wants to know, kind, scale): a category rating for each scale, then the other kinds, then a scale
    of one's own."""
    rated = [(scale.about, RATING, name) for name, scale in SCALES.items()]
    others = [(kind.asks, kind.name, QUALITY) for kind in kinds().values() if "scale" not in kind.uses]
    return [*rated, *others, (tr("A scale of your own"), RATING, OWN)]
