"""Measuring takes: all cheap families and the word times, on threads of their own."""

from __future__ import annotations

from collections.abc import Callable, Collection
from pathlib import Path
from typing import Protocol

from zestpanel.core.domain.take import Measured, Take, WordTimes
from zestpanel.core.errors import ZestError
from zestpanel.core.measures.registry import measure, outdated, versions
from zestpanel.core.store.takes import Takes
from zestpanel.core.store.texts import Texts
from zestpanel.core.texts import tr
from zestpanel.core.waiting import give_way


class MeasuresClips(Protocol):
    """A process of its own, or whoever executes a run."""

    def measure(
        self,
        clip: Path,
        text: str,
        language: str,
        words: WordTimes,
        *,
        only: Collection[str] = (),
        before: Measured | None = None,
    ) -> Measured:
        """As ``registry.measure``. Raises AudioError for a clip that cannot be read, ZestError where the process
        ended."""
        ...  # fmt: skip


def measure_and_keep(
    texts: Texts, takes: Takes, take: Take, word_times: WordTimes = (), process: MeasuresClips | None = None,
    *, slow: bool = False,
) -> Measured:  # fmt: skip
    """Measure what one take lacks, here or in the process given, and store the figures. slow: what takes long, too."""
    text, language = texts.version_text(take.passage_version_id)
    before = takes.measured([take.id], tracks=True).get(take.id)
    only = outdated(before, slow=slow)
    if process is None:
        measured = measure(takes.load(take), text, language, word_times, only=only, before=before)
    else:
        clip = takes.clip_path(take)
        measured = process.measure(clip, text, language, word_times, only=only, before=before)
    takes.put_measured(take.id, measured)
    return measured


def measure_missing(
    takes: Takes,
    texts: Texts,
    *,
    on_take: Callable[[Take], None] = lambda _: None,
    process: MeasuresClips | None = None,
    slow: bool = False,
) -> tuple[int, list[str]]:
    """Measure every take that lacks figures; (how many were measured, sentences on those that could not be). slow: and
    those that lack what takes long."""
    done, problems = 0, []
    for take in takes.unmeasured(versions(slow=slow)):
        give_way()
        try:
            measure_and_keep(texts, takes, take, (), process, slow=slow)
            done += 1
        except ZestError as error:
            problems.append(tr("Take {id}: {error}", id=take.id, error=error))
        on_take(take)
    return done, problems
