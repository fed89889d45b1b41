"""Who speaks for whom by the channel's roles: proposed for dialogues and narrations, never imposed."""

from __future__ import annotations

from collections.abc import Sequence

from zestpanel.core.choice.decided import Decision
from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.role import Role
from zestpanel.core.listening.scores import primary
from zestpanel.core.store.dialogues import NARRATOR


def filled_roles(brief: Brief, decided: Sequence[Decision], language: str) -> list[tuple[Role, int]]:
    """The roles of a language that are filled, with whom, in their order."""
    chosen = {one.role: one.candidate_id for one in decided}
    out = []
    for role in brief.roles:
        candidate = chosen.get(role.id)
        if candidate is not None and primary(brief.language_of(role)) == primary(language):
            out.append((role, candidate))
    return out


def proposed_cast(speakers: Sequence[str], brief: Brief, decided: Sequence[Decision], language: str) -> dict[str, int]:
    """Candidate by speaker: a speaker named as a role is has it; the narrator has the first role; the others have the
    roles that are left, each once. Who stands ready only (a share of 0) is not proposed unless named."""
    roles = filled_roles(brief, decided, language)
    by_name = {role.name.casefold(): candidate for role, candidate in roles}
    out = {speaker: by_name[speaker.casefold()] for speaker in speakers if speaker.casefold() in by_name}
    left = [candidate for role, candidate in roles if role.share_percent > 0 and candidate not in out.values()]
    for speaker in sorted((s for s in speakers if s not in out), key=lambda s: s != NARRATOR):
        if left:
            out[speaker] = left.pop(0)
    return out
