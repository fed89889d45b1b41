"""What a run is at, under one lock: it goes on, is paused, rests, is being stopped, or is over.

    going ──pause──▶ paused ──resume──▶ going
    going ──all that is left is held──▶ resting ──resume──▶ going
    going, paused, resting ──cancel──▶ stopping ──nothing under way──▶ over

Once a run is being stopped nothing pauses it or lets it rest, so that whoever waits for it to go on always wakes.
``docs/renders.md`` draws the same; ``tests/core/test_run_state.py`` steps through every order in which these may come.
"""

from __future__ import annotations

import threading
import time
from collections import defaultdict
from collections.abc import Callable

from zestpanel.core.domain.take import Take


class RunState:
    """Shared by the conductor, the workers and whoever controls the run; every method may be called from any thread.

    total: jobs there are to make. clock: seconds, monotonic.
    """

    def __init__(self, total: int, *, clock: Callable[[], float] = time.monotonic) -> None:
        self._clock = clock
        self._changed = threading.Condition(threading.RLock())
        self._going, self._stopping, self._over, self._resting = True, False, False, False
        self._active_s, self._since = 0.0, clock()
        self._held: dict[str, str] = {}  # engine ('' for the whole run) -> why
        self._down: dict[str, int] = defaultdict(int)  # failures in a row, by engine
        self._led_by: dict[str, Take] = {}  # takes that serve other jobs, by the digest they were asked by
        self._given_up_on: set[str] = set()
        self.total, self.done, self.failed, self.running = total, 0, 0, 0

    # -- what may be said from outside

    def begin(self, total: int) -> None:
        """The clock starts; so much is left of what was planned."""
        with self._changed:
            self.total, self._since = total, self._clock()

    def pause(self) -> bool:
        """Whether it went on until now."""
        with self._changed:
            if not self._going or self._stopping or self._over:
                return False
            self._stop_clock()
            return True

    def resume(self) -> bool:
        """What was held is tried again. Whether it stood still until now."""
        with self._changed:
            self._held.clear()
            self._down.clear()
            self._resting = self._over
            stood = not self._going
            if stood:
                self._going, self._since = True, self._clock()
            self._changed.notify_all()
            return stood

    def cancel(self) -> None:
        """Nothing new begins, what is under way is dropped, and nobody waits any more."""
        with self._changed:
            self._stopping = True
            if not self._going:
                self._going, self._since = True, self._clock()
            self._changed.notify_all()

    def end(self) -> None:
        """The run is over. It can be said more than once."""
        with self._changed:
            if not self._over:
                self._active_s += self._clock() - self._since if self._going else 0.0
                self._going, self._over, self._resting = False, True, True
            self._changed.notify_all()

    # -- what may be asked

    @property
    def going(self) -> bool:
        with self._changed:
            return self._going or self._stopping

    @property
    def paused(self) -> bool:
        with self._changed:
            return not self._going

    def stopping(self) -> bool:
        with self._changed:
            return self._stopping

    @property
    def over(self) -> bool:
        with self._changed:
            return self._over

    def elapsed_s(self) -> float:
        """Seconds in which it went on."""
        with self._changed:
            return self._active_s + (self._clock() - self._since if self._going else 0.0)

    def is_held(self, engine: str) -> bool:
        with self._changed:
            return engine in self._held or "" in self._held

    def why_held(self) -> str:
        """The reasons, each once; '' where nothing is held."""
        with self._changed:
            return " ".join(dict.fromkeys(self._held.values()))

    # -- waiting

    def wait_to_go(self) -> bool:
        """Wait while it is paused or rests. False once it is being stopped."""
        with self._changed:
            self._changed.wait_for(lambda: self._going or self._stopping or self._over)
            return not self._stopping and not self._over

    def rest(self) -> None:
        """All that is left is held: wait for a person, unless one has just said to go on, or to stop."""
        with self._changed:
            if not self._held or self._stopping or self._over:
                return
            if self._going:
                self._stop_clock()
            self._resting = True
            self._changed.notify_all()
            self._changed.wait_for(lambda: self._going or self._stopping or self._over)

    def stopped_within(self, seconds: float) -> bool:
        """Wait so long, or until it is being stopped, which is told."""
        with self._changed:
            return self._changed.wait_for(lambda: self._stopping, seconds)

    def wait_till_over(self, seconds: float | None) -> bool:
        with self._changed:
            return self._changed.wait_for(lambda: self._over, seconds)

    def wait_till_resting(self, seconds: float | None) -> bool:
        """Until it is over, or until nothing is under way and a person has to decide."""
        with self._changed:
            return self._changed.wait_for(lambda: self._resting, seconds)

    # -- what workers say

    def hold(self, engine: str, why: str) -> bool:
        """Begin nothing more with an engine ('' for the whole run) until a person says to go on. Whether that is
        news."""
        with self._changed:
            fresh = engine not in self._held
            self._held[engine] = why
            return fresh

    def began(self) -> None:
        with self._changed:
            self.running += 1

    def ended(self) -> None:
        with self._changed:
            self.running -= 1

    def kept(self, asked: str, take: Take, *, leads: bool) -> None:
        """A take is on disk. leads: whether other jobs wait to be served from it."""
        with self._changed:
            self.done += 1
            if leads and take.scored:
                self._led_by[asked] = take
            elif leads:
                self._given_up_on.add(asked)

    def answers(self, engine: str) -> None:
        with self._changed:
            self._down[engine] = 0

    def down(self, engine: str, *, counts: bool) -> int:
        """A take failed: how many in a row an engine did not bring, where this one counts."""
        with self._changed:
            self._down[engine] = self._down[engine] + 1 if counts else 0
            return self._down[engine]

    def given_up(self, asked: str) -> None:
        with self._changed:
            self.failed += 1
            self._given_up_on.add(asked)

    def lead(self, takes: dict[str, Take]) -> None:
        """Takes that are there already and serve jobs of this run."""
        with self._changed:
            self._led_by.update(takes)

    def led_by(self, asked: str) -> Take | None:
        with self._changed:
            return self._led_by.get(asked)

    def leader_is_over(self, asked: str) -> bool:
        with self._changed:
            return asked in self._led_by or asked in self._given_up_on

    def _stop_clock(self) -> None:
        self._active_s += self._clock() - self._since
        self._going = False
