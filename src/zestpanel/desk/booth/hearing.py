"""Hearing in the booth: played, stopped, swapped at the same place, gone back in, looped."""

from __future__ import annotations

from typing import Final

from zestpanel.desk.booth.answering import Answering

BACK_S: Final = 2.0  # that a step back goes


class Hearing(Answering):
    """Under the booth, which makes the parts."""

    def toggle(self) -> None:
        """Play or pause; a new start of a clip counts as another play."""
        mixer = self._state.player.mixer
        if not self._state.player.heard and not self._state.player.look_for_device():
            self._enable()
            return
        if self._session is not None and mixer.lanes and not (self._once and self._at_end()):
            if not mixer.playing and (mixer.time_s == 0 or self._at_end()):
                self._session.note_play(mixer.on)
            self._state.player.toggle()

    def hear(self, clip: int) -> None:
        """Another clip of the trial, at the same place in the text; from its beginning where the one before is over,
        and where the two say different words."""
        mixer = self._state.player.mixer
        if self._session is None or clip >= len(mixer.lanes):
            return
        by_text = self._session.shown.by_text
        over = self._at_end() or (not by_text and clip != mixer.on)
        self._state.player.swap(clip, by_text=by_text)
        if over:
            self._state.player.seek(0.0)
        if not mixer.playing:
            self.toggle()
        if self._asked is not None and self._asked.places and clip >= self._first_placed():
            self.line.choose(clip - self._first_placed())
        self._enable()

    def start_anew(self) -> None:
        """The clip that is heard, from its beginning."""
        if self._once:
            return
        self._state.player.seek(0.0)
        if self._session is not None and self._state.player.mixer.lanes:
            self._session.note_play(self._state.player.mixer.on)
            if not self._state.player.mixer.playing:
                self._state.player.toggle()

    def back_up(self) -> None:
        """Two seconds back."""
        if not self._once:
            self._state.player.seek(max(0.0, self._state.player.mixer.time_s - BACK_S))

    def loop(self) -> None:
        """A part over and over, in whichever clip: where it begins, where it ends, and no more."""
        mixer = self._state.player.mixer
        if self._once:
            return
        if mixer.loop is not None:
            mixer.set_loop(None)
        elif self._loop_from is None:
            self._loop_from = mixer.place
        else:
            mixer.set_loop((min(self._loop_from, mixer.place), max(self._loop_from, mixer.place)))
            self._loop_from = None
        self._enable()

    def _number_typed(self, place: int) -> None:
        if self.focusWidget() is self.number and self.line.isVisible():
            self.line.put(self.line.on, place)

    def _at_end(self) -> bool:
        mixer = self._state.player.mixer
        return bool(mixer.lanes) and mixer.time_s >= mixer.lanes[mixer.on].duration_s - 0.01
