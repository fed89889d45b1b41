"""What would be sent now, for any candidate and passage of a project; and whether a take was asked for in that way."""

from __future__ import annotations

from typing import Final

from zestpanel.core.catalogue.candidate import plan_of
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.passage import Passage
from zestpanel.core.sending.as_sent import AsSent, as_sent
from zestpanel.core.sending.choices import SendingChoices
from zestpanel.core.store.documents import Documents
from zestpanel.core.store.pronunciations import Pronunciations
from zestpanel.core.store.stored import Stored
from zestpanel.core.store.worked_out import WorkedOut
from zestpanel.core.text.lexicon.lexicon import Entry
from zestpanel.core.waiting import stand_aside

# by engine
_CHOICES: Final[Stored[dict[str, SendingChoices]]] = Stored("sending", dict[str, SendingChoices], {})
_MOST_KEPT: Final = 20_000
_USUAL: Final = (SendingChoices(), SendingChoices().model_dump_json())


class Sending:
    """Keeps what it worked out: the same text for the same engine is translated once."""

    def __init__(self, documents: Documents, pronunciations: Pronunciations) -> None:
        self._documents, self._pronunciations = documents, pronunciations
        self._kept: dict[tuple[object, ...], AsSent] = {}
        self._signs: dict[int, tuple[Engine, str]] = {}
        self._choices: WorkedOut[dict[str, tuple[SendingChoices, str]]] = WorkedOut(self._read)
        self._near: dict[str, tuple[tuple[Entry, ...], tuple[Entry, ...]]] = {}

    def choices(self, engine: str) -> SendingChoices:
        return self._chosen(engine)[0]

    def _chosen(self, engine: str) -> tuple[SendingChoices, str]:
        """The choices for an engine and, to tell them apart quickly, their JSON."""
        return self._choices.get().get(engine, _USUAL)

    def _read(self) -> dict[str, tuple[SendingChoices, str]]:
        found = _CHOICES.read(self._documents)
        return {engine: (one, one.model_dump_json()) for engine, one in found.items()}

    def look_again(self) -> None:
        """Another program may have chosen otherwise."""
        self._choices.forget()

    def put_choices(self, engine: str, choices: SendingChoices) -> None:
        _CHOICES.write(self._documents, {**_CHOICES.read(self._documents), engine: choices})
        self._choices.forget()

    def of(self, candidate: Candidate, passage: Passage, engine: Engine) -> AsSent:
        """The requests a candidate's engine would get for a passage under its plan."""
        stand_aside()
        choices, choices_text = self._chosen(engine.engine)
        counting = plan_of(candidate, engine).tariff.counting
        entries = self._entries(passage)
        limits = engine.limits_under([candidate.plan])
        key = (self._sign(engine), limits.characters_per_request, passage.text, passage.marks, passage.language,
               entries, choices_text, counting)  # fmt: skip
        found = self._kept.get(key)
        if found is None:
            found = as_sent(
                passage.text,
                passage.marks,
                engine=engine,
                language=passage.language,
                lexicon=entries,
                choices=choices,
                counting=counting,
                limits=limits,
            )
            if len(self._kept) > _MOST_KEPT:
                self._kept.clear()
            self._kept[key] = found
        return found

    def identity(self, candidate: Candidate, passage: Passage, engine: Engine) -> tuple[str, ...]:
        """The texts that would be sent."""
        return tuple(request.text for request in self.of(candidate, passage, engine).requests)

    def _entries(self, passage: Passage) -> tuple[Entry, ...]:
        """The entries that may hit this text; worked out once for a text and a state of the list."""
        every = self._pronunciations.all()
        known = self._near.get(passage.text)
        if known is None or known[0] is not every:
            lowered = passage.text.lower()
            if len(self._near) > _MOST_KEPT:
                self._near.clear()
            known = self._near[passage.text] = (every, tuple(e for e in every if e.word.lower() in lowered))
        return known[1]

    def _sign(self, engine: Engine) -> str:
        """All of an engine that changes what is sent. The engine itself is held so that its id stays its own."""
        known = self._signs.get(id(engine))
        if known is None or known[0] is not engine:
            text = f"{engine.engine}\u001e{engine.writes!r}\u001e{sorted(engine.marks.items())}"
            known = self._signs[id(engine)] = (engine, text)
        return known[1]
