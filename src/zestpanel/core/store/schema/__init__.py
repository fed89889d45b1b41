"""The tables of project.sqlite. Takes, ratings and the journal are only ever added to."""

from __future__ import annotations

from zestpanel.core.store.schema.catalogue import (
    candidates,
    connectors,
    impressions,
    own_voices,
    recordings,
    setup_log,
    statements,
    sweeps,
    voice_notes,
)
from zestpanel.core.store.schema.columns import metadata
from zestpanel.core.store.schema.listening import answers, invitations, listeners, sessions, stimuli, tests, trials
from zestpanel.core.store.schema.runs import auditions, log, marks, measures, requests, runs, takes, verdicts
from zestpanel.core.store.schema.texts import documents, passage_versions, passages, pronunciations

__all__ = [
    "answers",
    "auditions",
    "candidates",
    "connectors",
    "documents",
    "impressions",
    "invitations",
    "listeners",
    "log",
    "marks",
    "measures",
    "metadata",
    "own_voices",
    "passage_versions",
    "passages",
    "pronunciations",
    "recordings",
    "requests",
    "runs",
    "sessions",
    "setup_log",
    "statements",
    "stimuli",
    "sweeps",
    "takes",
    "tests",
    "trials",
    "verdicts",
    "voice_notes",
]
