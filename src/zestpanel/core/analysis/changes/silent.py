"""What a run brought to light without being asked: the very same requests as before, and another sound."""

from __future__ import annotations

from collections import defaultdict

from zestpanel.core.analysis.changes.comparing import FEWEST_PAIRS, CandidateChange, compare_runs
from zestpanel.core.store.journal import Journal
from zestpanel.core.store.shortlist import Shortlist
from zestpanel.core.store.takes import Takes
from zestpanel.core.texts import tr


def silent_changes(
    takes: Takes, shortlist: Shortlist, journal: Journal, run_id: int
) -> list[tuple[int, CandidateChange]]:
    """(earlier run, change) for each candidate whose sound changed while its model and voice are stated the same.

    A candidate is held against the latest earlier run with enough of the very same requests. Changes whose takes are
    of two candidates already are known, and left out.
    """
    first_of = {c.id: c.first_id for c in shortlist.candidates()}
    asked: dict[int, dict[int, set[str]]] = defaultdict(lambda: defaultdict(set))
    for candidate_id, run, digest in takes.same_requests(run_id):
        if candidate_id in first_of:
            asked[run][first_of[candidate_id]].add(digest)
    against: dict[int, set[int]] = defaultdict(set)
    for first_id, now in asked[run_id].items():
        for earlier in sorted((run for run in asked if run < run_id), reverse=True):
            if len(now & asked[earlier][first_id]) >= FEWEST_PAIRS:
                against[earlier].add(first_id)
                break
    return [
        (earlier, change)
        for earlier, wanted in sorted(against.items())
        for change in compare_runs(shortlist, takes, journal, earlier, run_id)
        if change.candidate.first_id in wanted and change.silently and not change.kept_apart
    ]


def in_words(name: str, earlier: int, change: CandidateChange) -> str:
    """A sentence for a person, with the candidate as it is called there."""
    sound = ", ".join(d.says() for d in change.sound_changes)
    return tr(
        "{name} sounds otherwise than in run {earlier}, and nothing said so: {sound}.",
        name=name,
        earlier=earlier,
        sound=sound,
    )
