"""Measuring takes: all cheap families and the word times, on threads of their own."""

from __future__ import annotations

import queue
import threading
from collections.abc import Callable
from typing import Final

from zestpanel.core.audio.clip import Clip
from zestpanel.core.bench.executors import Executor
from zestpanel.core.bench.measuring_process import MeasuringProcess, WordTimes
from zestpanel.core.errors import ZestError
from zestpanel.core.measures import drift
from zestpanel.core.measures.balance import spectral_balance_db
from zestpanel.core.measures.loudness import measure_loudness
from zestpanel.core.measures.pace import speech_pace
from zestpanel.core.measures.pitch import measure_pitch
from zestpanel.core.measures.silence import Silence, measure_silence
from zestpanel.core.measures.word_times import find_word_times
from zestpanel.core.measures.words_heard import WordsHeard, words_heard
from zestpanel.core.project.project import Project
from zestpanel.core.project.takes import Measured, Take

MEASURES_VERSION = 5


def measure(clip: Clip, text: str, language: str, from_reply: WordTimes = ()) -> Measured:
    """All figures of one clip; a figure that cannot be had is None, with its reason under 'NAME_why'."""
    loudness = measure_loudness(clip)
    silence = measure_silence(clip)
    pitch = measure_pitch(clip)
    pace = speech_pace(text, speech_s=silence.speech_s, total_s=clip.duration_s)
    told = not silence.beyond_reach
    words, by = find_word_times(clip, text, language, from_reply)
    heard = words_heard(clip, text, language)
    return Measured(
        values={
            "duration_s": clip.duration_s,
            "loudness_lufs": loudness.integrated_lufs,
            "loudness_why": loudness.why,
            "true_peak_dbtp": loudness.true_peak_dbtp if loudness.why != "silent" else None,
            "words_per_minute": pace.words_per_minute if told else None,
            "words_per_minute_total": pace.words_per_minute_total,
            "pitch_hz": pitch.median_hz,
            "pitch_sd_st": pitch.sd_st,
            "pitch_range_st": pitch.range_st,
            "voiced_share": pitch.voiced_share,
            **_as_silence(silence),
            "noise_dbfs": silence.noise_dbfs,
            "balance_db": spectral_balance_db(clip),
            **_as_values(heard),
            **drift.as_values(drift.drift_of(clip, words)),
        },
        words=words,
        words_by=by,
    )


def _as_silence(found: Silence) -> dict[str, float | str | None]:
    names = ("lead_s", "tail_s", "pauses", "pauses_s", "longest_pause_s")
    if found.beyond_reach:
        return {**dict.fromkeys(names), "pauses_why": "noise lies too near the speech to tell pauses"}
    return {name: float(getattr(found, name)) for name in names}


def _as_values(heard: WordsHeard | str) -> dict[str, float | str | None]:
    if isinstance(heard, str):
        return {"words_wrong": None, "words_wrong_why": heard}
    return {
        "words_wrong": heard.wrong_percent,
        "words_missing": float(heard.missing),
        "words_added": float(heard.added),
        "words_replaced": float(heard.replaced),
        "heard": heard.heard,
        "heard_right": "".join("1" if right else "0" for right in heard.right),
        "heard_by": heard.by,
    }


_LOOK_S: Final = 0.05  # how often it is asked whether measuring is still held back
BACKLOG = 3  # takes waiting before a further worker is worth its start


class Measurer:
    """Threads that measure takes as they are given, through an executor. ``finish`` waits for the last one.

    held_back: asked before each take; while it says so none is begun.
    """

    def __init__(
        self,
        project: Project,
        executor: Executor,
        on_measured: Callable[[Take], None],
        on_trouble: Callable[[str], None],
        *,
        held_back: Callable[[], bool] = lambda: False,
    ) -> None:
        self._held_back, self._busy = held_back, 0
        self._project, self._executor = project, executor
        self._on_measured, self._on_trouble = on_measured, on_trouble
        self._queue: queue.Queue[tuple[Take, WordTimes] | None] = queue.Queue()
        self._threads: list[threading.Thread] = []
        self._lock = threading.Lock()
        self._dropped = threading.Event()

    @property
    def at_work(self) -> bool:
        """Whether a take is being measured right now."""
        with self._lock:
            return self._busy > 0

    def drop(self) -> None:
        """Leave what is still waiting unmeasured: the takes are kept, and measured another time."""
        self._dropped.set()

    def add(self, take: Take, word_times: WordTimes = ()) -> None:
        self._queue.put((take, word_times))
        with self._lock:
            running = len(self._threads)
            if not running or (running < self._executor.measuring_at_once and self._queue.qsize() > BACKLOG):
                thread = threading.Thread(target=self._work, name=f"measure {running}")
                self._threads.append(thread)
                thread.start()

    def finish(self) -> None:
        for _ in self._threads:
            self._queue.put(None)
        for thread in self._threads:
            thread.join()

    def _work(self) -> None:
        while (item := self._queue.get()) is not None:
            take, word_times = item
            while not self._may_begin():
                self._dropped.wait(_LOOK_S)
            try:
                if self._dropped.is_set():
                    continue
                measure_and_keep(self._project, take, word_times, self._executor)
                self._on_measured(take)
            except Exception as error:
                self._on_trouble(f"Take {take.id} could not be measured: {error}")
            finally:
                with self._lock:
                    self._busy -= 1

    def _may_begin(self) -> bool:
        """True, and counted as at work, when a take may be measured now (or is to be dropped)."""
        with self._lock:
            may = self._dropped.is_set() or not self._held_back()
            self._busy += may
            return may


def measure_and_keep(
    project: Project, take: Take, word_times: WordTimes = (), process: MeasuringProcess | Executor | None = None
) -> Measured:
    """Measure one take, here or in the process given, and store the figures."""
    text, language = project.texts.version_text(take.passage_version_id)
    if process is None:
        measured = measure(project.takes.load(take), text, language, word_times)
    else:
        measured = process.measure(project.takes.clip_path(take), text, language, word_times)
    project.takes.put_measured(take.id, measured, version=MEASURES_VERSION)
    return measured


def measure_missing(
    project: Project, *, on_take: Callable[[Take], None] = lambda _: None, process: MeasuringProcess | None = None
) -> tuple[int, list[str]]:
    """Measure every take that lacks figures; (how many were measured, sentences on those that could not be)."""
    done, problems = 0, []
    for take in project.takes.unmeasured(version=MEASURES_VERSION):
        try:
            measure_and_keep(project, take, (), process)
            done += 1
        except ZestError as error:
            problems.append(f"Take {take.id}: {error}")
        on_take(take)
    return done, problems
