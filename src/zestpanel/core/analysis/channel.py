"""Which takes a candidate's figures are over."""

from __future__ import annotations

from collections import defaultdict
from typing import Protocol

from zestpanel.core.domain.take import Take
from zestpanel.core.runs.plan.planning import asked_alike
from zestpanel.core.store.parts import HasSending, HasShortlist, HasTakes, HasTexts


class ChannelTakes(HasTexts, HasShortlist, HasSending, HasTakes, Protocol):
    """Takes, and what decides whether they still speak for the channel."""


def channel_takes(project: ChannelTakes) -> dict[int, list[Take]]:
    """By candidate id, the takes its figures are over: of the passages' present versions, as they would be asked for
    today. Tried lines, sweeps of other texts and takes of former wordings are not among them."""
    present = {p.version_id: p for p in project.texts.all()}
    takes: dict[int, list[Take]] = defaultdict(list)
    candidates = {c.id: c for c in project.shortlist.candidates()}
    engines = project.shortlist.engines()
    for take in project.takes.all():
        passage, candidate = present.get(take.passage_version_id), candidates.get(take.candidate_id)
        engine = engines.get(candidate.engine) if candidate else None
        if passage is None or candidate is None:
            continue
        if engine is None or asked_alike(take, project.sending.of(candidate, passage, engine)):
            takes[take.candidate_id].append(take)
    return takes
