"""What a run is made under besides its texts and voices."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Final

LEVELS: Final = (1, 2, 4, 8)  # requests at once at which engines are timed under load


@dataclass(frozen=True, slots=True, kw_only=True)
class Conditions:
    """at_once: levels of requests at once, one after the other; empty for each engine's own limit.

    side_by_side: programs of this machine run beside one another and beside the measuring: the run is over sooner, and
    its waits are kept apart. Otherwise they have the machine to themselves, one after the other, while they are timed.
    cold: every request meets an engine that was just started, or a service over a new connection. fresh: ask again
    although the same take is there. kind and of_run as in the journal's RunRow.
    """

    at_once: tuple[int, ...] = ()
    cold: bool = False
    fresh: bool = False
    side_by_side: bool = False
    kind: str = "bench"
    of_run: int | None = None

    @property
    def asks_again(self) -> bool:
        """Timings under other conditions need requests of their own."""
        return self.fresh or self.cold or bool(self.at_once)

    def as_document(self) -> dict[str, Any]:
        return {
            "at_once": list(self.at_once),
            "cold": self.cold,
            "fresh": self.fresh,
            "side_by_side": self.side_by_side,
        }


USUAL: Final = Conditions()
