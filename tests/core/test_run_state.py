"""The states of a run, stepped through in every order; and runs that are stopped, paused and closed at any moment."""

from __future__ import annotations

import threading
from collections.abc import Callable
from itertools import product
from typing import Any

import pytest

from tests.conftest import Unmeasured, add_command_engine
from zestpanel.core.connectors.speaking import Reply, SpeakRequest
from zestpanel.core.errors import SynthesisFailure
from zestpanel.core.runs.execute.events import RunEvent
from zestpanel.core.runs.execute.executors import LocalExecutor
from zestpanel.core.runs.execute.run_state import RunState
from zestpanel.core.runs.execute.running import BenchRun
from zestpanel.core.runs.plan.planning import plan_run
from zestpanel.core.store.one_asker import asking
from zestpanel.core.store.project import Project


class Blocked(Exception):
    """Somebody would wait here, for this."""

    def __init__(self, wakes: Callable[[], bool]) -> None:
        self.wakes = wakes


def stepped() -> RunState:
    """A state in which whoever would wait says what for, instead."""
    state = RunState(3)

    def wait_for(wakes: Callable[[], bool], _: float | None = None) -> bool:
        if not wakes():
            raise Blocked(wakes)
        return True

    state._changed.wait_for = wait_for  # type: ignore[assignment]
    return state


STEPS = ("pause", "resume", "cancel", "hold", "rest", "go", "end")


def test_nobody_waits_for_ever_in_any_order_of_what_may_happen() -> None:
    """Every order of five steps: once it was cancelled, gone on with or ended, whoever waited before wakes; and nothing
    pauses a run that is being stopped."""
    for order in product(STEPS, repeat=5):
        state, waiting = stepped(), list[Callable[[], bool]]()
        for step in order:
            try:
                match step:
                    case "hold":
                        state.hold("an engine", "why")
                    case "go":
                        state.wait_to_go()
                    case _:
                        getattr(state, step)()
            except Blocked as blocked:
                waiting.append(blocked.wakes)
            if step in ("cancel", "resume", "end"):
                assert all(wakes() for wakes in waiting), order
                waiting.clear()
            if state.stopping():
                assert state.going, order
                assert not any(not wakes() for wakes in waiting), order
        if state.over:
            assert state.wait_till_over(0)
            assert state.wait_till_resting(0)


def test_the_clock_stands_still_while_it_is_paused() -> None:
    now = [0.0]
    state = RunState(1, clock=lambda: now[0])
    for at, step in ((5, state.pause), (9, state.pause), (20, state.resume), (26, state.end), (40, state.end)):
        now[0] = at
        step()
    assert state.elapsed_s() == 5 + 6


class Trouble:
    """A connector whose end fails; refuse: its key is refused, so that its engine is held."""

    def __init__(self, *, refuse: bool) -> None:
        self.refuse = refuse

    def speak(self, request: SpeakRequest, cancelled: Callable[[], bool] = lambda: False) -> Reply:
        del request, cancelled
        raise SynthesisFailure("refused", "The key is refused.", of_key=self.refuse)

    def describe(self, request: SpeakRequest) -> Any:
        raise NotImplementedError

    def close(self) -> None:
        raise OSError("it will not close")


def is_free(project: Project) -> bool:
    with asking(project.folder):
        return all(run.ended for run in project.journal.runs().values()) and project.purse is None


@pytest.fixture
def bench(project: Project) -> Project:
    add_command_engine(project)
    engine = project.shortlist.engines()["Kitchen Table"]
    project.shortlist.add(engine, voice="hesk")
    project.texts.add(["One.", "Two.", "Three."], language="en-GB")
    return project


def test_a_connector_that_fails_to_close_leaves_no_run_and_no_lock(bench: Project) -> None:
    told: list[RunEvent] = []
    run = BenchRun(bench, plan_run(bench), on_event=told.append, connect=lambda _: Trouble(refuse=False))
    run.start()
    assert run.wait(60)
    assert is_free(bench)
    assert told[-1].kind == "finished"
    assert "it will not close" in told[-1].text


def test_a_listener_that_fails_ends_nothing(bench: Project) -> None:
    def deaf(_: RunEvent) -> None:
        raise RuntimeError("deaf")

    run = BenchRun(bench, plan_run(bench), on_event=deaf, connect=lambda _: Trouble(refuse=False))
    run.start()
    assert run.wait(60)
    assert is_free(bench)


class _Held(Unmeasured):
    def __init__(self) -> None:
        LocalExecutor.__init__(self, lambda _: Trouble(refuse=True))


@pytest.mark.parametrize("step", ["cancel", "pause then cancel", "cancel then pause", "leave"])
@pytest.mark.parametrize("late", [False, True])
def test_a_run_that_is_held_ends_however_it_is_stopped(bench: Project, step: str, late: bool) -> None:
    """late: when nothing is under way any more; else at once, between the conductor's look and its rest."""
    run = BenchRun(bench, plan_run(bench), executor=_Held())
    run.start()
    if late:
        assert run.wait_till_resting(60)
    steps = [getattr(run, name) for name in step.split(" then ")]
    threads = [threading.Thread(target=one) for one in steps]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    run.pause()
    assert run.wait(60), "it hangs"
    assert is_free(bench)


def test_a_run_that_cannot_begin_leaves_nothing_behind(bench: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    def fails(*_: object, **__: object) -> None:
        raise OSError("no log")

    monkeypatch.setattr("zestpanel.core.runs.execute.running.RunLog", fails)
    run = BenchRun(bench, plan_run(bench), executor=_Held())
    with pytest.raises(OSError, match="no log"):
        run.start()
    assert is_free(bench)
