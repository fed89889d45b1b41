"""Many on one line: a multi-stimulus test with hidden reference and anchors (ITU-R BS.1534-3), or without them.

All candidates of a passage are placed on a line from 0 to 100 with five bands. Where a person has recorded the passage,
the recording is open for comparison, hidden once among the others, and low-passed at 3.5 and 7 kHz as anchors. Without
one there is no true reference: the test then says so, and the rules that rest on it do not apply.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from typing import Final

import numpy as np

from zestpanel.core.analysis.statistics.tails import at_least_p
from zestpanel.core.domain.listening import Answered, PlannedTrial, Stimulus
from zestpanel.core.listening.anchors import LOW_HZ, MID_HZ
from zestpanel.core.listening.design import with_training
from zestpanel.core.listening.kind import (
    HIGH,
    LOW,
    MOST_LANES,
    Able,
    Around,
    Axis,
    Common,
    Feeds,
    Found,
    Heard,
    Option,
    Planning,
    Question,
    Shown,
)
from zestpanel.core.listening.scaled import RULE, Value, bars_of, best_sentence, lines_of, pairs_of_lines
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.texts import asked, tr

PLACES: Final = "places"
# five equal ones (ITU-R BS.1534-3)
BANDS: Final = (
    asked("Excellent"),
    asked("Good"),
    asked("Fair"),
    asked("Poor"),
    asked("Bad"),
)
ANCHORS: Final = {-1: LOW_HZ, -2: MID_HZ}  # by the number they have in place of a candidate's
# a category of a 5-point scale in points of this one: usual spreads, which few answers are held to, are known in those
_CATEGORY: Final = 25.0


MOST_OFF: Final = (15, 100)  # more than so many of so many; whole numbers, since 3 of 20 is exactly 15 %
REFERENCE_AT_LEAST: Final = 90
MID_AT_MOST: Final = 90
SLIPS: Final = 0.05  # of the items, of a careful listener (an assumption, to tell what the rule does)
FEWEST_ITEMS: Final = 7  # of which one is less than 15 %


class Placing(Common):
    name = "multi-stimulus"
    title = tr("many on one line (multi-stimulus)")
    asks = tr("Where does each lie, all on one line?")
    fewest_candidates = 2
    uses: frozenset[Option] = frozenset({"reference", "anchors", "repeats", "training"})
    planned_by: Planning = "differences"
    category = 25.0
    feeds = Feeds(words=tr("place on the line"), better="higher", worst=40, best=90)

    def leaves_out(self, by: Mapping[int, Sequence[Answered]], settings: TestSettings) -> Mapping[int, Sequence[str]]:
        return _by_the_standard(by, settings.reference_id) if settings.reference_id else {}

    def warns(self, items: int, settings: TestSettings) -> str:
        """The rule asks for whole items: of few, one slip is more than 15 %."""
        if not settings.reference_id or not items:
            return ""
        bad = next(n for n in range(items + 1) if _over(n, items))
        share = at_least_p(bad, items, SLIPS)
        said = tr(
            "Of careful listeners, who slip on one item in twenty, the standard's rule leaves out {share} % with "
            "{items} items.", share=f"{100 * share:.0f}", items=items,
        )  # fmt: skip
        few = tr(" From {fewest} items on a single slip leaves nobody out.", fewest=FEWEST_ITEMS)
        return said + (few if items < FEWEST_ITEMS else "")

    def design(
        self, able: Able, settings: TestSettings, *, listener: int, rng: np.random.Generator
    ) -> list[PlannedTrial]:
        """A trial a passage, or several where there are too many candidates for one: as even as they divide, with other
        neighbours for each listener. What stands in which lane is drawn."""
        person = settings.reference_id
        trials = []
        for version in dict.fromkeys(version for _, version in able):
            here = [c for c in settings.candidate_ids if c != person and (c, version) in able]
            has_reference = bool(person) and (person, version) in able
            room = MOST_LANES - (1 + 2 * settings.anchors if has_reference else 0)
            blocks = -(-len(here) // room)
            mixed = [here[k] for k in rng.permutation(len(here))]
            for block in range(blocks):
                judged = mixed[block::blocks]
                if len(judged) + has_reference >= 2:
                    trials.append(_trial(able, judged, version, person if has_reference else 0, settings.anchors, rng))
        drawn = [trials[k] for k in rng.permutation(len(trials))]
        return with_training(drawn[: settings.most] if settings.most else drawn, settings.training, rng)

    def shown(self, trial: PlannedTrial, settings: TestSettings) -> Shown:
        opened = bool(trial.detail.get("reference"))
        lanes = [Heard(asked("Reference"), (0,), reference=True)] if opened else []
        placed = range(len(lanes), len(trial.stimuli))
        lanes += [Heard("", (at,)) for at in placed]
        words = (
            asked("Place each on the line by its quality, compared with the reference")
            if opened
            else asked("Place each on the line by its quality")
        )
        return Shown(
            lanes=tuple(lanes), questions=(Question(PLACES, words, places=len(placed), bands=BANDS),),
            must_hear=settings.must_hear,
        )  # fmt: skip

    def found(self, answers: Sequence[Answered], around: Around) -> Found:
        """Median, quartiles and mean with its crossed interval, per candidate, hidden reference and anchor."""
        values: list[Value] = []
        for one in answers:
            for whose, place in placed(one):
                version = one.trial.stimuli[-1].passage_version_id
                values.append((whose, one.listener_id, version, place / _CATEGORY))
        lines = lines_of(values, bounds=(LOW / _CATEGORY, HIGH / _CATEGORY), unit=_CATEGORY)
        names = dict(around.names) | {k: tr("Anchor {hz} kHz", hz=f"{hz / 1000:g}") for k, hz in ANCHORS.items()}
        reference = around.settings.reference_id
        if reference:
            names[reference] = tr("{name} (hidden reference)", name=around.name(reference))
        named = Around(settings=around.settings, names=names, texts=around.texts)
        judged = [line for line in lines if line.candidate_id > 0 and line.candidate_id != reference]
        rows = tuple(
            (names.get(line.candidate_id, "?"), f"{np.median(line.values):.0f}",
             tr("{:.0f} to {:.0f}").format(*np.quantile(line.values, [0.25, 0.75])), f"{line.mean:.1f}",
             tr("{low} to {high}", low=f"{line.low:.1f}", high=f"{line.high:.1f}"), line.letters, str(len(line.values)))
            for line in lines
        )  # fmt: skip
        by_passage = _by_passage(values)
        without = (
            "" if reference else tr(" There is no recording of a person among them, so no true reference: places ")
        )
        without += "" if reference else tr("say how they lie to one another, not how near they come to a person.")
        return Found(
            says=best_sentence(judged, named, decimals=0) + without,
            head=(tr("Candidate"), "median", tr("middle half"), "mean", "95 %", "letters", "answers"),
            rows=rows, numbers=(1, 2, 3, 4, 6),
            rule=tr("0 to 100 in five bands (ITU-R BS.1534-3), after its screening of listeners. {rule} "
"{by_passage}", rule=RULE, by_passage=by_passage),
            bars=bars_of(lines, named, decimals=0),
            axis=Axis(low=LOW, high=HIGH, words=tr("place on the line"), step=20),
            pairs=pairs_of_lines(judged),
        )  # fmt: skip


def _over(bad: int, n: int) -> bool:
    """More than 15 %, in whole numbers."""
    return MOST_OFF[1] * bad > MOST_OFF[0] * n


def _by_the_standard(by: Mapping[int, Sequence[Answered]], reference_id: int) -> dict[int, list[str]]:
    """Who places the hidden reference below 90 on more than 15 % of the items, or the mid anchor above 90 on more than
    15 %. An item whose mid anchor more than a quarter of the listeners place above 90 counts against nobody: it may not
    be impaired by it (ITU-R BS.1534-3, 4.1.2)."""
    mids: dict[int, dict[int, list[float]]] = defaultdict(lambda: defaultdict(list))  # by item and listener
    references: dict[int, list[float]] = defaultdict(list)
    for listener, of in by.items():
        for one in of:
            item = one.trial.stimuli[-1].passage_version_id
            for whose, place in placed(one):
                if whose == reference_id:
                    references[listener].append(place)
                elif whose in ANCHORS and ANCHORS[whose] == max(ANCHORS.values()):
                    mids[item][listener].append(place)
    above = {item: [any(p > MID_AT_MOST for p in own) for own in of.values()] for item, of in mids.items()}
    hardly = {item for item, of_all in above.items() if 4 * sum(of_all) > len(of_all)}
    out: dict[int, list[str]] = {}
    for listener in by:
        own = references[listener]
        low = sum(p < REFERENCE_AT_LEAST for p in own)
        counted = [p for item, of_all in mids.items() if item not in hardly for p in of_all.get(listener, ())]
        high = sum(p > MID_AT_MOST for p in counted)
        why = []
        if own and _over(low, len(own)):
            why.append(
                tr(
                    "placed the hidden reference below {reference_at_least} in {low} of {references} trials",
                    reference_at_least=REFERENCE_AT_LEAST,
                    low=low,
                    references=len(own),
                )
            )
        if counted and _over(high, len(counted)):
            why.append(
                tr(
                    "placed the 7 kHz anchor above {mid_at_most} in {high} of {mids} trials",
                    mid_at_most=MID_AT_MOST,
                    high=high,
                    mids=len(counted),
                )
            )
        if why:
            out[listener] = why
    return out


KIND: Final = Placing()


def placed(one: Answered) -> list[tuple[int, float]]:
    """(candidate or anchor, place) of an answer. The open reference has no place."""
    first = 1 if one.trial.detail.get("reference") else 0
    cuts: Mapping[str, float] = one.trial.detail.get("cut_off_hz", {})
    whose = {hz: number for number, hz in ANCHORS.items()}
    return [
        (whose[float(cuts[str(at)])] if str(at) in cuts else one.trial.stimuli[at].candidate_id, float(place))
        for at, place in enumerate(one.answer.given[PLACES], first)
    ]


def _trial(
    able: Able, judged: Sequence[int], version: int, person: int, anchors: bool, rng: np.random.Generator
) -> PlannedTrial:
    clips = [Stimulus(candidate_id=c, passage_version_id=version, take_id=able[c, version]) for c in judged]
    detail: dict[str, object] = {}
    if not person:
        return PlannedTrial(stimuli=tuple(clips[k] for k in rng.permutation(len(clips))))
    open_one = Stimulus(candidate_id=person, passage_version_id=version, take_id=able[person, version],
                        role="reference")  # fmt: skip
    anchor = Stimulus(candidate_id=person, passage_version_id=version, take_id=able[person, version], role="anchor")
    hidden = [open_one, *clips, *([anchor, anchor] if anchors else [])]
    order = [int(k) for k in rng.permutation(len(hidden))]
    detail["reference"] = True
    if anchors:
        at = {k: place for place, k in enumerate(order, 1)}
        detail["cut_off_hz"] = {str(at[len(hidden) - 2]): LOW_HZ, str(at[len(hidden) - 1]): MID_HZ}
    return PlannedTrial(stimuli=(open_one, *(hidden[k] for k in order)), detail=detail)


def _by_passage(values: Sequence[Value]) -> str:
    """How far the passages lie apart: a sentence, since one of them can decide for all."""
    of: dict[int, list[float]] = defaultdict(list)
    for candidate, _, version, value in values:
        if candidate > 0:
            of[version].append(value * _CATEGORY)
    means = [float(np.mean(x)) for x in of.values()]
    return (
        tr(
            "Means of the passages lie between {means} and {means2}.",
            means=f"{min(means):.0f}",
            means2=f"{max(means):.0f}",
        )
        if len(means) > 1
        else ""
    )
