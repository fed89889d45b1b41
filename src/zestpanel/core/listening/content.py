"""Questions on what a text says, to which one answer is right (ITU-T P.85)."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from zestpanel.core.texts import tr

FEWEST_WRONG, MOST_WRONG = 1, 8


@dataclass(frozen=True, slots=True)
class ContentQuestion:
    """version_id: of the text it is about. wrong: answers that might be right to one who did not listen."""

    version_id: int
    words: str
    right: str
    wrong: tuple[str, ...]

    @classmethod
    def from_document(cls, value: Mapping[str, Any]) -> ContentQuestion:
        return cls(int(value["version_id"]), str(value["words"]), str(value["right"]), tuple(value["wrong"]))

    @property
    def answers(self) -> tuple[str, ...]:
        """The right one first."""
        return (self.right, *self.wrong)


def wrong_with_content(questions: Iterable[ContentQuestion], version_ids: Iterable[int]) -> str:
    """What keeps these from being asked of the texts, '' for nothing."""
    of = {one.version_id: one for one in questions}
    for version in version_ids:
        one = of.get(version)
        bad = one is None or not one.words or not all(one.answers) or len(set(one.answers)) < len(one.answers)
        if bad or one is None or not FEWEST_WRONG <= len(one.wrong) <= MOST_WRONG:
            return tr(
                "Each passage has a question, its right answer and {fewest} to {most} wrong ones, all different.",
                fewest=FEWEST_WRONG, most=MOST_WRONG,
            )  # fmt: skip
    return ""
