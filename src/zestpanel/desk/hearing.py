"""Sound that is heard alone, off the tray: a line asked for in a voice, a vendor's sample, a word."""

from __future__ import annotations

from collections.abc import Callable

from zestpanel.core.audio.clip import Clip
from zestpanel.core.audio.files import read
from zestpanel.core.catalogue.facts import Engine, Voice
from zestpanel.core.connectors.agreed import require_agreement, sample_path
from zestpanel.core.domain.take import Take
from zestpanel.core.playback.mixer import Lane, prepare_lanes
from zestpanel.core.runs.execute.auditioning import Heard, Line, hear
from zestpanel.core.texts import tr
from zestpanel.desk.state import DeskState
from zestpanel.desk.when import day_and_hour


def play_alone(state: DeskState, lanes: list[Lane], *, at_s: float = 0.0) -> None:
    """Play something that is not on the tray, which is cleared for it."""
    state.tray.lanes = []
    state.tray.changed.emit()
    state.player.load(lanes, on=0)
    if at_s > 0:
        state.player.seek(at_s)
    state.player.play()


def hear_take(state: DeskState, take: Take, *, at_s: float = 0.0, then: Callable[[], None] = lambda: None) -> None:
    """Play one take by itself, from a second on. then: called when it has begun."""

    def arrived(lanes: list[Lane]) -> None:
        play_alone(state, lanes, at_s=at_s)
        then()

    state.background.run(lambda: prepare_lanes([(take.id, state.project.takes.load(take), (), 1)])[0], arrived,
                         state.complain, topic="one take")  # fmt: skip


def hear_clip(state: DeskState, load: Callable[[], Clip]) -> None:
    """Play a remark that was spoken; load reads it, off the interface thread."""
    state.background.run(lambda: prepare_lanes([(0, load(), (), 1)])[0], lambda lanes: play_alone(state, lanes),
                         state.complain, topic="one take")  # fmt: skip


def hear_line(state: DeskState, line: Line, ended: Callable[[], None]) -> None:
    """Ask for a line, or take what is kept of it, and play it at the tray's loudness. ended: called when it is over."""
    project = state.project

    def work() -> tuple[list[Lane], Heard]:
        found = hear(project, line)
        lanes, _ = prepare_lanes([(0, found.clip, (), len(line.job.passage.text.split()))])
        return lanes, found

    def arrived(found: tuple[list[Lane], Heard]) -> None:
        ended()
        play_alone(state, found[0])
        used, voice = str(found[1].reply.get("voice_used") or ""), line.job.candidate.voice
        if used and used != voice:
            state.complain(
                tr(
                    "{engine} answered with the voice '{used}' instead of '{voice}'.",
                    engine=line.engine.engine,
                    used=used,
                    voice=voice,
                )
            )
        elif found[1].asked_on:
            state.say(
                tr(
                    "Heard from what is kept: it was asked for on {day_and_hour}.",
                    day_and_hour=day_and_hour(found[1].asked_on),
                )
            )

    def failed(error: Exception) -> None:
        ended()
        state.complain(error)

    state.background.run(work, arrived, failed, topic="audition")


def hear_sample(state: DeskState, engine: Engine, voice: Voice) -> None:
    """Play the vendor's own example, said to be one. Its folder was agreed to as everything that a file names is."""

    def work() -> list[Lane]:
        require_agreement(engine)
        path = sample_path(voice)
        assert path is not None
        clip = read(path)
        return prepare_lanes([(0, clip, (), 1)])[0]

    def arrived(lanes: list[Lane]) -> None:
        play_alone(state, lanes)
        state.say(
            tr(
                "This is the vendor's own sample of {label}, on the vendor's text: it is never scored.",
                label=voice.label,
            )
        )

    state.background.run(work, arrived, state.complain, topic="audition")
