"""Small things that are kept with the project and have no store of their own."""

from __future__ import annotations

from typing import Annotated, Any, Final, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict

from zestpanel.core.domain.mark import DeliveryMark, from_json
from zestpanel.core.store.stored import Stored


class Draft(BaseModel):
    """Unfinished typing in a passage. marks: (start, end, kind, value)."""

    model_config = ConfigDict(frozen=True)
    text: str
    marks: tuple[tuple[int, int, str, str], ...] = ()

    def delivery_marks(self) -> tuple[DeliveryMark, ...]:
        return from_json(self.marks)


class AttachedVotes(BaseModel):
    """What somebody else's table of votes says of an engine. votes: how many, None where it does not say."""

    model_config = ConfigDict(frozen=True)
    table: str
    strength: str
    votes: int | None = None


def _as_draft(value: Any) -> Any:
    return {"text": value} if isinstance(value, str) else value  # as earlier programs kept it


# by the number of the passage
DRAFTS: Final[Stored[dict[str, Draft]]] = Stored("drafts", dict[str, Annotated[Draft, BeforeValidator(_as_draft)]], {})
# ids of candidates whose lanes stand first, in their order
PINNED: Final[Stored[tuple[int, ...]]] = Stored("pinned lanes", tuple[int, ...], ())
# how many takes of each cell are wanted
REPEATS: Final[Stored[int]] = Stored("repeats", int, 1)
# after how many days facts are to be looked up again; 0 for the usual time
FACTS_AGE: Final[Stored[int]] = Stored("facts age", int, 0)
# what a person has settled of a claim, by the claim
CLAIMS: Final[Stored[dict[str, Literal["confirmed", "refuted"]]]] = Stored(
    "claims", dict[str, Literal["confirmed", "refuted"]], {}
)
# by engine
OUTSIDE_VOTES: Final[Stored[dict[str, tuple[AttachedVotes, ...]]]] = Stored(
    "outside votes", dict[str, tuple[AttachedVotes, ...]], {}
)
