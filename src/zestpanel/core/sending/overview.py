"""What becomes of every passage at every engine, at one glance."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.passage import Passage
from zestpanel.core.sending.as_sent import AsSent
from zestpanel.core.texts import tr


@dataclass(frozen=True, slots=True, kw_only=True)
class SentCell:
    """A passage at an engine, sent for one of its candidates. lost: how many marks and words of a kind; too_long:
    whether a part of it cannot be sent at all."""

    passage_id: int
    candidate_id: int
    lost: Mapping[str, int]
    changed: int
    requests: int
    too_long: bool

    @property
    def words(self) -> str:
        """'all kept', '3 lost: 2 emphasis, pause', 'no marks'; with the requests where there are several."""
        if self.too_long:
            return tr("too long to send")
        if self.lost:
            kinds = ", ".join(f"{n} {kind}" if n > 1 else kind for kind, n in self.lost.items())
            said = tr("{values} lost: {kinds}", values=sum(self.lost.values()), kinds=kinds)
        else:
            said = tr("all kept") if self.changed else tr("as written")
        return said if self.requests == 1 else tr("{said} · {requests} requests", said=said, requests=self.requests)


def overview(
    of: Callable[[Candidate, Passage, Engine], AsSent], candidates: Sequence[Candidate],
    engines: Mapping[str, Engine], passages: Sequence[Passage],
) -> tuple[list[str], dict[tuple[int, str], SentCell]]:  # fmt: skip
    """(engines in the shortlist's order, the cell by (passage id, engine)). A passage is sent for the first of the
    engine's candidates whose voice speaks its language; without one there is no cell."""
    every = dict.fromkeys(c.engine for c in candidates)
    names = [name for name in every if name in engines and not engines[name].only_compared]
    cells = {}
    for name in names:
        engine = engines[name]
        for passage in passages:
            candidate = next((c for c in candidates if c.engine == name and _speaks(c, engine, passage)), None)
            if candidate is None:
                continue
            sent = of(candidate, passage, engine)
            cells[passage.id, name] = SentCell(
                passage_id=passage.id, candidate_id=candidate.id, lost=dict(Counter(c.kind for c in sent.lost)),
                changed=len(sent.changes), requests=len(sent.requests), too_long=bool(sent.too_long),
            )  # fmt: skip
    return names, cells


def _speaks(candidate: Candidate, engine: Engine, passage: Passage) -> bool:
    voice = engine.voice(candidate.voice)
    return voice is not None and voice.speaks(passage.language)
