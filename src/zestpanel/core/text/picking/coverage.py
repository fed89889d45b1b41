"""What a set of passages covers: hard parts, sounds of the language and of the channel's scripts, lengths."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from zestpanel.core.domain.passage import Passage
from zestpanel.core.text.difficulty import KINDS
from zestpanel.core.text.picking.picker import LENGTHS, length_of
from zestpanel.core.text.picking.sounds import sounds_in, sounds_of_language, sounds_of_texts


@dataclass(frozen=True, slots=True, kw_only=True)
class SoundCoverage:
    """The sounds of one language. in_scripts: those of the channel's own scripts, None without a script."""

    language: str
    covered: tuple[str, ...]
    missing: tuple[str, ...]
    in_scripts: frozenset[str] | None

    @property
    def missing_from_scripts(self) -> tuple[str, ...]:
        """Sounds that the channel says and the set does not."""
        return tuple(sorted((self.in_scripts or frozenset()) - set(self.covered)))


@dataclass(frozen=True, slots=True, kw_only=True)
class Coverage:
    """kinds: passages by kind of hard part, all kinds; lengths: passages by length."""

    kinds: dict[str, tuple[int, ...]]
    lengths: dict[str, int]
    sounds: tuple[SoundCoverage, ...]


def coverage(
    passages: Sequence[Passage], kinds_by_version: dict[int, list[str]], scripts: dict[str, str]
) -> Coverage:  # fmt: skip
    """scripts: the channel's own text by primary language ('en')."""
    kinds: dict[str, tuple[int, ...]] = {
        kind: tuple(p.id for p in passages if kind in kinds_by_version.get(p.version_id, ())) for kind in KINDS
    }
    lengths = {name: sum(length_of(p.text) == name for p in passages) for name, _ in LENGTHS}
    sounds = []
    for language in dict.fromkeys(p.language for p in passages):
        whole = sounds_of_language(language)
        if not whole:
            continue
        said = sounds_of_texts([p.text for p in passages if p.language == language], language)
        script = scripts.get(language.split("-")[0].lower())
        sounds.append(
            SoundCoverage(
                language=language,
                covered=tuple(s for s in whole if s in said),
                missing=tuple(s for s in whole if s not in said),
                in_scripts=sounds_in(script[:60_000], language) & set(whole) if script else None,
            )
        )
    return Coverage(kinds=kinds, lengths=lengths, sounds=tuple(sounds))
