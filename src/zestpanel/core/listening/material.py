"""What is heard in a test: which take of a cell, and at which level."""

from __future__ import annotations

from collections.abc import Iterable

from zestpanel.core.domain.take import Take
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.measures.loudness import CEILING_DBTP, TARGET_LUFS
from zestpanel.core.playback.mixer import MONO_ON_TWO_DB, as_heard
from zestpanel.core.store.project import Project


def takes_to_hear(project: Project, settings: TestSettings) -> dict[tuple[int, int], int]:
    """The take heard by (candidate, passage version): the starred one, else the first. Only runs on the channel's own
    passages at their present version enter; captured sound and vendors' samples never do."""
    passages = {p.version_id: p for p in project.texts.all() if p.id in settings.passage_ids}
    chosen: dict[tuple[int, int], Take] = {}
    for take in project.takes.all():
        key = (take.candidate_id, take.passage_version_id)
        wanted = take.candidate_id in settings.candidate_ids and take.passage_version_id in passages and take.scored
        if wanted and (key not in chosen or (take.starred and not chosen[key].starred)):
            chosen[key] = take
    order = [(c, version) for version in passages for c in settings.candidate_ids if (c, version) in chosen]
    return {key: chosen[key].id for key in order}


def level_of_test(project: Project, takes: Iterable[int]) -> float:
    """The one loudness all clips of a test are brought to, LUFS as heard on two channels: the usual target, lowered
    for all where a single clip would pass the ceiling at it. Never a clip at a time: that would make a peaky clip
    quieter than its neighbours."""
    wanted = set(takes)
    level = TARGET_LUFS
    known = project.takes.levels(wanted)
    for take in project.takes.all(with_timing=False):
        if take.id not in wanted:
            continue
        found = known.get(take.id)
        if found is None:
            heard = as_heard(project.takes.load(take))
            lufs, peak = heard.integrated_lufs, heard.true_peak_dbtp
        else:
            lufs, peak, channels = found
            lufs += 0.0 if channels > 1 else MONO_ON_TWO_DB
        if lufs is not None:
            level = min(level, lufs + CEILING_DBTP - peak)
    return level
