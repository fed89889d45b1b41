"""One take from several requests: a text over an engine's limit is sent in pieces and joined at its sentence ends."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from zestpanel.core.audio.files import encode_flac
from zestpanel.core.connectors.speaking import Reply
from zestpanel.core.domain.take import Timing
from zestpanel.core.measures.joining import BETWEEN_SENTENCES_S, join


def joined(replies: Sequence[Reply]) -> Reply:
    """The replies as one. A single one is given back as it came."""
    if len(replies) == 1:
        return replies[0]
    clip, begins = join([r.clip for r in replies], [BETWEEN_SENTENCES_S] * (len(replies) - 1))
    times: list[tuple[str, float, float]] = []
    for reply, begin in zip(replies, begins, strict=True):
        times += [(word, max(0.0, a + begin), max(0.0, b + begin)) for word, a, b in reply.word_times]
    billed = [r.characters_billed for r in replies]
    last = replies[-1]
    return replace(
        last,
        data=encode_flac(clip),
        clip=clip,
        timing=_one_after_another([r.timing for r in replies], begins),
        characters_billed=sum(b for b in billed if b is not None) if all(b is not None for b in billed) else None,
        word_times=tuple(times) if all(r.word_times for r in replies) else (),
        voice_used=next((r.voice_used for r in replies if r.voice_used), ""),
        console="\n".join(r.console for r in replies if r.console),
    )


def _one_after_another(timings: Sequence[Timing | None], begins_s: Sequence[float]) -> Timing | None:
    """Requests made one after another: the first sound is the first one's, the last byte comes after all of them.

    begins_s: where each clip begins in the joined one, whose gaps give later pieces time to come (or, where a piece's
    own silence was cut, take some).
    """
    if any(t is None for t in timings):
        return None
    known = [t for t in timings if t is not None]
    first = known[0]
    chunks: list[tuple[float, float]] = []
    at = 0.0
    for timing, begin in zip(known, begins_s, strict=True):
        chunks += [(at + arrival, max(0.0, begin + before)) for arrival, before in timing.chunks]
        at += timing.decoded_s
    cpu = [t.cpu_s for t in known]
    memory = [t.peak_memory_mb for t in known if t.peak_memory_mb is not None]
    return replace(
        first,
        last_byte_s=sum(t.decoded_s for t in known[:-1]) + known[-1].last_byte_s,
        decoded_s=sum(t.decoded_s for t in known),
        cpu_s=sum(c for c in cpu if c is not None) if all(c is not None for c in cpu) else None,
        peak_memory_mb=max(memory) if memory else None,
        slept=any(t.slept for t in known),
        chunks=tuple(chunks) if all(t.chunks for t in known) else (),
        joins_s=tuple(begins_s[1:]),
    )
