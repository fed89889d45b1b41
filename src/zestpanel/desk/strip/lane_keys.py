"""Lanes and words by keys: arrows walk, Shift marks words that are heard over and over."""

from __future__ import annotations

from typing import Final

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from zestpanel.desk.state import DeskState

_WORDS: Final = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}
_LANES: Final = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}


class LaneKeys:
    def __init__(self, state: DeskState) -> None:
        self._state = state
        self._from: int | None = None  # the word that marking with Shift began at

    def word(self) -> int:
        """The word that playback stands at."""
        return int(np.floor(self._state.player.mixer.place + 1e-3))  # a place is a whole sample

    def press(self, event: QKeyEvent, words: int) -> bool:
        """Whether the key was one of these. words: how many there are."""
        key, mixer = Qt.Key(event.key()), self._state.player.mixer
        if not mixer.lanes or not words:
            return False
        if key in _LANES:
            self._state.tray.swap_to(mixer.on + _LANES[key])
        elif key in _WORDS:
            self._walk(_WORDS[key], words, mark=bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._state.tray.toggle_play()
        elif key == Qt.Key.Key_Escape and mixer.loop is not None:
            self._from = None
            self._state.tray.set_loop(None)
        else:
            return False
        return True

    def _walk(self, by: int, words: int, *, mark: bool) -> None:
        tray, mixer = self._state.tray, self._state.player.mixer
        if not mark:
            self._from = None
            if mixer.loop is not None:
                tray.set_loop(None)
            self._state.player.seek_place(float(min(words - 1, max(0, self.word() + by))))
            return
        if self._from is None or mixer.loop is None:
            self._from = self.word()
            first, last = self._from, self._from
        else:
            first, last = round(mixer.loop[0]), round(mixer.loop[1]) - 1
        end = first if last == self._from else last  # the end that moves
        end = min(words - 1, max(0, (end if first != last else self._from) + by))
        tray.set_loop((float(min(self._from, end)), float(max(self._from, end) + 1)))
