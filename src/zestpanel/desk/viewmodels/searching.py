"""Everything that can be gone to or done, found by any of its words."""

from __future__ import annotations

import unicodedata
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Final, Literal

from zestpanel.core.catalogue.candidate import candidate_detail
from zestpanel.core.choice.evidence import Evaluation
from zestpanel.core.domain.listening import ListeningTest
from zestpanel.core.listening.registry import kinds
from zestpanel.core.listening.scales import asked_by
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.texts import tr
from zestpanel.desk.viewmodels.cells import Bench

What = Literal["action", "page", "candidate", "passage", "role", "test", "engine"]
_SHOWN: Final = 60
_LONGEST: Final = 90
_KINDS: Final[dict[What, str]] = {
    "action": tr("do"), "page": tr("page"), "candidate": tr("candidate"), "passage": tr("passage"), "role": tr("role"),
    "test": tr("test"), "engine": tr("engine"),
}  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Found:
    """what it is, and its key there; words: as it is shown; also: what it is found by besides; keys: of an action."""

    what: What
    key: str
    words: str
    also: str = ""
    keys: str = ""

    @property
    def kind(self) -> str:
        return _KINDS[self.what]


def places(
    bench: Bench, evaluation: Evaluation | None, tests: Iterable[ListeningTest], *, names_shown: bool
) -> list[Found]:
    """What a project holds, in the order of the work. names_shown: off while labels are hidden."""
    out: list[Found] = []
    if names_shown:
        out += [Found(what="engine", key=name, words=name) for name in bench.engines]
        out += [Found(what="candidate", key=str(c.id),
                      words=f"{bench.names[c.id]}, {candidate_detail(c, bench.engines.get(c.engine))}",
                      also=f"{c.plan} {c.voice} {c.language}") for c in bench.candidates]  # fmt: skip
    out += [Found(what="passage", key=str(p.id), words=f"{p.title}: {_short(p.text)}",
                  also=f"{p.text} {' '.join(p.tags)}") for p in bench.passages]  # fmt: skip
    for test in tests:
        kind = kinds().get(test.kind)
        if kind is not None:
            asks = asked_by(kind, TestSettings.from_document(test.settings))
            out.append(Found(what="test", key=str(test.id), words=asks, also=kind.title))
    if evaluation is not None and names_shown:
        out += [Found(what="role", key=one.key, words=one.name) for one in evaluation.standings]
    return out


def _short(text: str) -> str:
    plain = " ".join(text.split())
    return plain if len(plain) <= _LONGEST else plain[: _LONGEST - 1].rstrip() + "…"


def matching(found: Sequence[Found], words: str) -> list[Found]:
    """Those that have all of the words, wherever they stand; first those whose own words begin with one."""
    wanted = _plain(words).split()
    if not wanted:
        return list(found[:_SHOWN])
    scored = []
    for place, one in enumerate(found):
        shown = _plain(f"{one.words} {one.kind}")
        whole = f"{shown} {_plain(one.also)}"
        if all(word in whole for word in wanted):
            starts = sum(any(part.startswith(word) for part in shown.split()) for word in wanted)
            scored.append((-starts, place, one))
    return [one for _, _, one in sorted(scored, key=lambda each: each[:2])[:_SHOWN]]


def _plain(text: str) -> str:
    """Without case and accents: 'resume' finds 'Résumé'."""
    apart = unicodedata.normalize("NFKD", text.casefold())
    return "".join(sign for sign in apart if not unicodedata.combining(sign))
