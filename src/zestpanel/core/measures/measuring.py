"""All figures of one clip."""

from __future__ import annotations

from zestpanel.core.audio.clip import Clip
from zestpanel.core.domain.take import Measured, WordTimes
from zestpanel.core.measures import drift
from zestpanel.core.measures.balance import spectral_balance_db
from zestpanel.core.measures.loudness import measure_loudness
from zestpanel.core.measures.pace import speech_pace
from zestpanel.core.measures.pitch import measure_pitch
from zestpanel.core.measures.silence import Silence, measure_silence
from zestpanel.core.measures.word_times import find_word_times
from zestpanel.core.measures.words_heard import WordsHeard, words_heard

MEASURES_VERSION = 5


def measure(clip: Clip, text: str, language: str, from_reply: WordTimes = ()) -> Measured:
    """All figures of one clip; a figure that cannot be had is None, with its reason under 'NAME_why'."""
    loudness = measure_loudness(clip)
    silence = measure_silence(clip)
    pitch = measure_pitch(clip)
    pace = speech_pace(text, speech_s=silence.speech_s, total_s=clip.duration_s)
    told = not silence.beyond_reach
    words, by = find_word_times(clip, text, language, from_reply)
    heard = words_heard(clip, text, language)
    return Measured(
        values={
            "duration_s": clip.duration_s,
            "loudness_lufs": loudness.integrated_lufs,
            "loudness_why": loudness.why,
            "true_peak_dbtp": loudness.true_peak_dbtp if loudness.why != "silent" else None,
            "words_per_minute": pace.words_per_minute if told else None,
            "words_per_minute_total": pace.words_per_minute_total,
            "pitch_hz": pitch.median_hz,
            "pitch_sd_st": pitch.sd_st,
            "pitch_range_st": pitch.range_st,
            "voiced_share": pitch.voiced_share,
            **_as_silence(silence),
            "noise_dbfs": silence.noise_dbfs,
            "balance_db": spectral_balance_db(clip),
            **_as_values(heard),
            **drift.as_values(drift.drift_of(clip, words)),
        },
        words=words,
        words_by=by,
    )


def _as_silence(found: Silence) -> dict[str, float | str | None]:
    names = ("lead_s", "tail_s", "pauses", "pauses_s", "longest_pause_s")
    if found.beyond_reach:
        return {**dict.fromkeys(names), "pauses_why": "noise lies too near the speech to tell pauses"}
    return {name: float(getattr(found, name)) for name in names}


def _as_values(heard: WordsHeard | str) -> dict[str, float | str | None]:
    if isinstance(heard, str):
        return {"words_wrong": None, "words_wrong_why": heard}
    return {
        "words_wrong": heard.wrong_percent,
        "words_missing": float(heard.missing),
        "words_added": float(heard.added),
        "words_replaced": float(heard.replaced),
        "heard": heard.heard,
        "heard_right": "".join("1" if right else "0" for right in heard.right),
        "heard_by": heard.by,
    }
