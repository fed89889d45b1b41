"""What is done to whole passages of the set: split, merged, doubled, moved, removed; each with undo."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from zestpanel.core.domain.passage import Passage
from zestpanel.core.store.texts import NewText, copy_of, merged, parts_of
from zestpanel.core.text.splitting import sentence_spans
from zestpanel.core.texts import tr
from zestpanel.desk.state import DeskState


class SetEdits:
    """done(passage_id) is called after an edit, with the passage to be shown (None: whichever)."""

    def __init__(self, state: DeskState, done: Callable[[int | None], None]) -> None:
        self._state, self._done = state, done

    def _order(self) -> list[int]:
        return [p.id for p in self._state.bench.passages]

    def _put(self, what: str, new: Sequence[NewText], language: str, gone: Sequence[Passage] = ()) -> None:
        """Add passages at the end, or in the place of others."""
        texts, made = self._state.project.texts, list[Passage]()
        order = self._order()
        at = order.index(gone[0].id) if gone else len(order)

        def do() -> None:
            if made:
                texts.set_removed([p.id for p in made], False)
            else:
                made.extend(texts.add(new, language=language))
            texts.set_removed([p.id for p in gone], True)
            texts.reorder([*order[:at], *(p.id for p in made), *order[at:]])

        def undo() -> None:
            texts.set_removed([p.id for p in made], True)
            texts.set_removed([p.id for p in gone], False)
            texts.reorder(order)

        if self._state.edit(what, do, undo):
            self._done(made[0].id)

    # -- one in several

    def split_sentences(self, passage: Passage) -> None:
        """Replace a passage by one passage a sentence, at the same place."""
        whole = [(m.start, m.end) for m in passage.marks if m.end > m.start]
        self._split(passage, sentence_spans(passage.text, passage.language, whole=whole), tr("sentence"))

    def split_paragraphs(self, passage: Passage) -> None:
        spans, at = [], 0
        for part in passage.text.split("\n\n"):
            spans.append((at, at + len(part)))
            at += len(part) + 2
        self._split(passage, spans, tr("paragraph"))

    def split_at(self, passage: Passage, at: int) -> None:
        self._split(passage, [(0, at), (at, len(passage.text))], tr("piece"))

    def _split(self, passage: Passage, spans: list[tuple[int, int]], what: str) -> None:
        spans = [(a, b) for a, b in spans if any(c.isalnum() for c in passage.text[a:b])]
        cuts = [a for a, _ in spans[1:]]
        if any(m.start < cut < m.end for m in passage.marks for cut in cuts):
            self._state.complain(tr("A cut would fall within a mark: a mark is never cut in two."))
        elif len(spans) < 2:
            self._state.say(tr("This passage is one {what}: there is nothing to split.", what=what))
        else:
            self._put(
                tr("split of '{title}'", title=passage.title), parts_of(passage, spans), passage.language, [passage]
            )

    # -- several

    def merge(self, chosen: Sequence[Passage]) -> None:
        if len({p.language for p in chosen}) > 1:
            self._state.complain(tr("These passages are in different languages: they cannot be one."))
        elif len(chosen) > 1:
            self._put(tr("merging passages"), [merged(chosen)], chosen[0].language, chosen)

    def duplicate(self, chosen: Sequence[Passage]) -> None:
        if chosen:
            copies = [copy_of(p, title=tr("{title}, copy", title=p.title)) for p in chosen]
            self._put("duplicate", copies, chosen[0].language)

    def remove(self, chosen: Sequence[Passage]) -> None:
        ids, texts = [p.id for p in chosen], self._state.project.texts
        if ids:
            self._state.edit(
                tr("removing passages"), lambda: texts.set_removed(ids, True), lambda: texts.set_removed(ids, False)
            )
            self._done(None)

    def move(self, chosen: set[int], by: int) -> None:
        """Move passages one place up or down, together."""
        order = self._order()
        moved = list(order) if by < 0 else order[::-1]
        for i in range(1, len(moved)):
            if moved[i] in chosen and moved[i - 1] not in chosen:
                moved[i - 1], moved[i] = moved[i], moved[i - 1]
        moved = moved if by < 0 else moved[::-1]
        texts = self._state.project.texts
        if moved != order:
            self._state.edit(tr("order of passages"), lambda: texts.reorder(moved), lambda: texts.reorder(order))
            self._done(next(i for i in moved if i in chosen))
