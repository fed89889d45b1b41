"""Word times by forced alignment: the English recogniser is told the words and finds where each one is."""

from __future__ import annotations

from typing import Final

from zestpanel.core.audio.clip import Clip
from zestpanel.core.domain.passage import words_with_places
from zestpanel.core.measures.recogniser import LOCK, dictionary, known_name, pcm_for

_FRAME_S: Final = 0.01


def align(clip: Clip, text: str) -> tuple[tuple[str, float, float], ...]:
    """(word, start_s, end_s) for every word of an English text in order; () where the recogniser finds no way through
    the clip, as happens with some synthetic voices."""
    words = [word for word, _, _ in words_with_places(text)]
    pcm = pcm_for(clip)
    if not words or not pcm:
        return ()
    with LOCK:
        decoder = dictionary()
        names = [known_name(word) for word in words]
        decoder.reinit_feat()  # or the times would hang, by a frame, on the clips that came before
        decoder.set_align_text(" ".join(names))
        decoder.start_utt()
        decoder.process_raw(pcm, full_utt=True)
        decoder.end_utt()
        found = list(decoder.seg()) if decoder.hyp() else []
    wanted = set(names)
    # alternative pronunciations come as 'word(2)', silences as '<sil>' and the like
    spoken = [segment for segment in found if segment.word.split("(")[0] in wanted]
    if len(spoken) != len(words):
        return ()
    return tuple(
        (word, segment.start_frame * _FRAME_S, (segment.end_frame + 1) * _FRAME_S)
        for word, segment in zip(words, spoken, strict=True)
    )
