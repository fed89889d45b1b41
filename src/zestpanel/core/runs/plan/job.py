"""One take to be made."""

from __future__ import annotations

from dataclasses import dataclass

from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.passage import Passage
from zestpanel.core.domain.take import Take
from zestpanel.core.sending.as_sent import AsSent


@dataclass(frozen=True, slots=True, kw_only=True)
class Job:
    """One take to be made. language: the one the voice is asked to read in, the text's where it speaks that. seed:
    given to engines that take one, the same for every candidate.

    served_from: a take of an identical request made before, which serves without a new one. same_as: the digest of
    another job of this run that asks for the same sound (of the same text, or under another plan), whose take serves.
    at_once: the level of requests at once this take is timed at, 0 for the engine's own limit.
    """

    candidate: Candidate
    passage: Passage
    repeat: int
    sent: AsSent
    seed: int
    asked: str
    language: str
    served_from: Take | None = None
    same_as: str = ""
    at_once: int = 0

    @property
    def asks(self) -> bool:
        """Whether a request goes out for it, as far as is known."""
        return self.served_from is None and not self.same_as
