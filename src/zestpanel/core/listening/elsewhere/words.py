"""What the page itself says to a listener, by the names that its code knows."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final

from zestpanel.core.listening.told import Told
from zestpanel.core.texts import asked

_SAID: Final = ("begin", "go_on", "again", "level", "headphones", "headphones_passed", "headphones_failed", "softest",
                "first", "second", "third", "break", "turned_away", "declined", "agree",
                "disagree", "trial_run")  # fmt: skip
_WORDS: Final[Mapping[str, str]] = {
    "listening_test": asked("Listening test"),
    "play": asked("Play"),
    "pause": asked("Pause"),
    "space": asked("space"),
    "start": asked("From the start"),
    "loop_from": asked("Loop from here"),
    "loop_to": asked("Loop to here"),
    "no_loop": asked("No loop"),
    "back": asked("Correct the last answer"),
    "stop": asked("Stop here"),
    "training": asked("Training, not scored"),
    "clip": asked("Clip"),
    "trial": asked("Trial"),
    "place": asked("{part} · {place} of {total}"),
    "sample": asked("Sample {k}"),
    "listen_one": asked("Listen to at least {must} of it first."),
    "listen_each": asked("Listen to at least {must} of each first."),
    "once": asked("Listen: it is heard once, then comes the question."),
    "answer": asked("Answer with {keys}."),
    "place_each": asked("Place every sample from 0 to 100; digits choose one, arrows move it."),
    "placed": asked("All are placed. Enter goes on."),
    "not_placed": asked("not placed"),
    "write": asked("Write it down, then press Enter. Ctrl+Space plays it again."),
    "written": asked("What you heard"),
    "remark": asked("A remark, if you like"),
    "answers": asked("Answers"),
    "samples": asked("Samples"),
    "heard": asked("heard so far"),
    "preparing": asked("One moment: the sound is being made ready."),
    "no_sound": asked("No sound comes out of this device. Check it, then press Play."),
    "broken": asked("This clip cannot be heard here; it is left out."),
    "ask_stop": asked("Stop here? {done} of {total} are answered. You can go on later, by opening it again."),
    "ask_stop_unkept": asked("Stop here? {done} of {total} are answered. Save them: this browser keeps nothing."),
    "go_on_listening": asked("Go on listening"),
    "stop_now": asked("Stop"),
    "thanks": asked("Thank you. Every clip is rated."),
    "stopped": asked("You stopped at {place} of {total}."),
    "save": asked("Save the answers"),
    "send": asked("Then send the saved file to whoever asked you to listen. Until then nobody has your answers."),
    "saved": asked("Saved as {name}, among your downloads."),
    "as_text": asked("Or copy the answers as text"),
    "unkept": asked("This browser keeps nothing once the page is closed: finish in one go, or save before."),
    "kept": asked("Your answers are kept in this browser: you can close the page and go on later."),
    "elsewhere_open": asked("This test is open in another window. Go on there, or close it and go on here."),
    "welcome_back": asked("{done} of {total} are answered. It goes on where you stopped."),
    "arrived": asked("All your answers have arrived. You can close this page."),
    "waiting": asked("{n} answers wait for the line. Leave this page open, or open it again later."),
    "closed": asked("This test takes no more answers. Please tell whoever asked you to listen."),
    "completion": asked("Your code: {code}"),
    "no_script": asked("This page needs a current browser with JavaScript."),
}  # fmt: skip


def page_words(told: Told) -> dict[str, str]:
    """In the listener's language; places in braces are filled in by the page."""
    said = {name: told.tr(english) for name, english in _WORDS.items()}
    return said | {name: told.raw(name) for name in _SAID}
