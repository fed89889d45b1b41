"""Saying a word by the built-in voice: plain, but it says sounds as they are written."""

from __future__ import annotations

from zestpanel.core.audio.clip import Clip, as_samples
from zestpanel.core.playback.mixer import Lane, prepare_lanes
from zestpanel.core.speech import builtin_voice
from zestpanel.core.text.lexicon.ipa import to_builtin
from zestpanel.desk.hearing import play_alone
from zestpanel.desk.state import DeskState


def say_word(state: DeskState, language: str, *, ipa: str = "", words: str = "") -> None:
    """Say sounds in IPA, or words where there are none, off the interface thread; a sign it has not is explained."""

    def work() -> list[Lane]:
        sounds = ipa.strip().strip("/")
        text = to_builtin(sounds, language) if sounds else words
        voice = builtin_voice.voice_for_language(language)
        reading = builtin_voice.speak(text, voice=voice, rate_wpm=135, marked_up=bool(sounds))
        return prepare_lanes([(0, Clip(samples=as_samples(reading.samples), rate_hz=reading.rate_hz), (), 1)])[0]

    state.background.run(work, lambda lanes: play_alone(state, lanes), state.complain, topic="audition")
