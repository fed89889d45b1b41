"""What a listening test is set to, the same for every kind."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass
from typing import Any


@dataclass(frozen=True, slots=True, kw_only=True)
class TestSettings:
    """must_hear: share of each clip to be heard before it may be answered. training: unscored trials at the start.

    scale: of a category rating. most: scored trials a listener is given at most, 0 for all. question: of one's own.
    """

    __test__ = False  # no test of pytest's

    candidate_ids: tuple[int, ...]
    passage_ids: tuple[int, ...]
    must_hear: float = 0.8
    training: int = 2
    seed: int = 1
    scale: str = "ACR"
    most: int = 0
    question: str = ""

    def as_document(self) -> dict[str, Any]:
        return {**asdict(self), "candidate_ids": list(self.candidate_ids), "passage_ids": list(self.passage_ids)}

    @classmethod
    def from_document(cls, value: Mapping[str, Any]) -> TestSettings:
        known = {name: value[name] for name in cls.__dataclass_fields__ if name in value}
        for name in ("candidate_ids", "passage_ids"):
            known[name] = tuple(known.get(name, ()))
        return cls(**known)


def came_later(settings: TestSettings, candidate_ids: Iterable[int], passage_ids: Iterable[int]) -> tuple[int, int]:
    """How many of the candidates and of the passages there are now the test does not know."""
    return (
        len(set(candidate_ids) - set(settings.candidate_ids)),
        len(set(passage_ids) - set(settings.passage_ids)),
    )
