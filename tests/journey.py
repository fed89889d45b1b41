"""To a written decision, by keys and clicks in a real window, which are counted: from the first start on one's own text
and program, or in a large project that is there. For the tests and for measurements.

python -m tests.journey first FOLDER SCRIPT ENGINE SPEED SCALE    SPEED: of hearing; SCALE: of the interface, 1 or 1.5
python -m tests.journey keys FOLDER SCRIPT ENGINE SPEED SCALE     the same without a mouse
python -m tests.journey large FOLDER
"""

from __future__ import annotations

import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QWidget

from tests.waiting import pause, wait
from zestpanel.core.choice.decided import decisions
from zestpanel.core.playback.mixer import RATE_HZ
from zestpanel.core.store.project import Project
from zestpanel.desk.agreeing import AgreeDialog
from zestpanel.desk.application import make_application
from zestpanel.desk.pages.choice import ChoicePage
from zestpanel.desk.pages.engines import EnginesPage
from zestpanel.desk.pages.engines.price import PriceDialog
from zestpanel.desk.pages.listening import ListeningPage
from zestpanel.desk.pages.renders import RendersPage
from zestpanel.desk.playing.output import ClockOutput
from zestpanel.desk.playing.player import Player
from zestpanel.desk.remembered import put_in_place
from zestpanel.desk.theme.style import apply_theme
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.window import MainWindow

NO_KEY = Qt.KeyboardModifier.NoModifier
LISTENERS = ("Ann", "Ben", "Cem")


class Heard(ClockOutput):
    """Pulled by the clock, so many times as fast, and taken for a sound device: what is not heard cannot be rated."""

    heard = True
    speed = 1

    def _pull(self) -> None:
        before = self._last
        super()._pull()
        self._mixer.render((self.speed - 1) * round((self._last - before) * RATE_HZ))


MOST_TABS = 200  # to get from anywhere to anything


class Hands:
    """Presses and clicks, and counts them; dropping two files on the window counts as one. Without a mouse everything
    is gone to by Tab, and pressed by Enter."""

    def __init__(self, window: MainWindow, *, mouse: bool = True) -> None:
        self.window, self.mouse, self.keys, self.clicks = window, mouse, 0, 0

    def key(self, widget: QWidget, key: Qt.Key, modifier: Qt.KeyboardModifier = NO_KEY) -> None:
        self.keys += 1
        QTest.keyClick(widget, key, modifier)

    def type(self, widget: QWidget, text: str) -> None:
        self.keys += len(text)
        QTest.keyClicks(widget, text)  # type: ignore[call-arg]  # as below

    def click(self, widget: QWidget) -> None:
        if self.mouse:
            self.clicks += 1
            QTest.mouseClick(widget, Qt.MouseButton.LeftButton)
        else:
            self.go_to(widget)
            self.key(widget, Qt.Key.Key_Return)
        self.settle()

    def go_to(self, widget: QWidget) -> None:
        """Give it the focus: by a click, or by Tab as often as it takes."""
        if self.mouse:
            self.clicks += 1
            widget.setFocus()
            return
        window = widget.window()
        assert window is not None
        for _ in range(MOST_TABS):
            at = window.focusWidget()  # of a dialog, too, that no window manager has made the active one
            if at is widget:
                return
            self.key(at or window, Qt.Key.Key_Tab)
        raise AssertionError(f"no way by Tab to {widget.accessibleName() or widget.property('text') or widget}")

    def bring_in(self, files: list[Path]) -> None:
        """Dropped, or named in the system's own dialog."""
        if self.mouse:
            self.clicks += 1
        else:
            self.keys += 2 + sum(len(str(path)) for path in files)
        self.window.bring_in(files)
        self.settle()

    def settle(self) -> None:
        pause(60)
        wait(lambda: not self.window.state.background.busy)


def bring_in_and_shortlist(hands: Hands, engine: Path, script: Path) -> None:
    window = hands.window
    hands.bring_in([engine, script])
    (asked,) = [one for one in window.findChildren(AgreeDialog) if one.isVisible()]
    hands.click(asked.yes)
    page = window.page("engines")
    assert isinstance(page, EnginesPage)
    hands.key(window, Qt.Key.Key_2, Qt.KeyboardModifier.AltModifier)
    hands.settle()
    for row in (0, 1):
        hands.go_to(page.voices.table)
        if hands.mouse:
            page.voices.table.selectRow(row)
        elif row:
            hands.key(page.voices.table, Qt.Key.Key_Down)
        hands.click(page.voices.add)


def render_and_swap(hands: Hands) -> None:
    window = hands.window
    hands.key(window, Qt.Key.Key_4, Qt.KeyboardModifier.AltModifier)
    hands.settle()
    assert window.current == "renders"
    renders = window.page("renders")
    assert isinstance(renders, RendersPage)
    wait(renders.render_button.isEnabled)
    hands.click(renders.render_button)
    wait(lambda: window.state.runs.run is not None and not window.state.runs.goes_on)
    hands.settle()
    wait(lambda: len(window.state.tray.lanes) == 2)
    grid, mixer = renders.grid, window.state.player.mixer
    grid.setFocus()
    hands.key(grid, Qt.Key.Key_Space)
    wait(lambda: mixer.time_s > 0.4)
    place, on = mixer.place, mixer.on
    hands.key(grid, Qt.Key.Key_2 if on == 0 else Qt.Key.Key_1)
    assert mixer.on == 1 - on, "the other voice"
    assert mixer.place >= place - 0.01, "at the same place"
    hands.key(grid, Qt.Key.Key_H)
    hands.settle()
    assert window.state.labels_hidden
    hands.key(grid, Qt.Key.Key_H)
    hands.settle()
    screen = window.screen()
    assert screen is not None
    assert window.width() <= screen.availableGeometry().width(), "never larger than the screen"
    assert window.height() <= screen.availableGeometry().height()
    assert min(grid.width(), grid.height()) > 150, "the grid keeps its room"


def listen_blind(hands: Hands) -> None:
    """Three people rate every clip once they have heard it."""
    window = hands.window
    for alias in LISTENERS:
        hands.key(window, Qt.Key.Key_6, Qt.KeyboardModifier.AltModifier)
        hands.settle()
        page = window.page("listening")
        assert isinstance(page, ListeningPage)
        page.tests.alias.clear()
        hands.go_to(page.tests.alias)
        hands.type(page.tests.alias, alias)
        if not page.tests.languages.text():
            if not hands.mouse:
                hands.go_to(page.tests.languages)
            hands.type(page.tests.languages, "en")
        hands.key(page.tests.alias, Qt.Key.Key_Return)
        rate_all(hands, Qt.Key.Key_4 if alias == LISTENERS[0] else Qt.Key.Key_5)


def rate_all(hands: Hands, key: Qt.Key) -> None:
    booth = hands.window.booth
    wait(booth.isVisible)
    hands.key(booth, Qt.Key.Key_Return)  # what to do was read
    session = booth.session
    assert session is not None
    while not session.finished:
        wait(lambda: any(one.isEnabled() for one in booth.answers.values()))
        hands.key(booth, key)
    hands.click(booth.leave)


def decide_and_write(hands: Hands) -> Path:
    window = hands.window
    hands.key(window, Qt.Key.Key_8, Qt.KeyboardModifier.AltModifier)
    hands.settle()
    page = window.page("choice")
    assert isinstance(page, ChoicePage)
    wait(page.deciding.state_it.isVisible)  # nobody has said what may be done with the voice
    hands.click(page.deciding.state_it)
    (price,) = [one for one in page.deciding.findChildren(PriceDialog) if one.isVisible()]
    for field in (*price.rights.values(), paid := price.lines[0].fields["price"]):
        if not hands.mouse:
            hands.go_to(field)
        if field is not paid:
            hands.key(field, Qt.Key.Key_Down)
    hands.type(paid, "0")  # it runs on one's own machine
    hands.click(price.keep_button)
    return choose_and_write(hands, page)


def choose_and_write(hands: Hands, page: ChoicePage) -> Path:
    written: list[Path] = []
    page.show_record = written.append  # type: ignore[method-assign]  # no browser here
    wait(page.deciding.choose.isEnabled)
    hands.go_to(page.deciding.why)
    hands.type(page.deciding.why, "Clearer on names")
    hands.click(page.deciding.choose)
    assert [one.why for one in decisions(hands.window.state.project.documents)] == ["Clearer on names"]
    hands.key(hands.window, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    wait(lambda: bool(written))
    return written[0]


@contextmanager
def opened(project: Project, scale: float = 1.0, *, mouse: bool = True) -> Iterator[Hands]:
    """A window as a person has it; what was done in it and how long it took is printed at the end."""
    began = time.monotonic()
    application = make_application()
    assert application.platformName() == "xcb", application.platformName()
    theme.set(dark=False, scale=scale)
    apply_theme(application, theme)
    window = MainWindow(project, player=Player(open_device=Heard))
    put_in_place(window)
    window.show()
    QTest.qWaitForWindowExposed(window)
    window.activateWindow()
    assert QTest.qWaitForWindowActive(window, 30000), "no keyboard focus"
    hands = Hands(window, mouse=mouse)
    yield hands
    window.close()
    project.close()
    print(f"hands {hands.keys} {hands.clicks} {time.monotonic() - began:.1f}")


def first(folder: Path, script: Path, engine: Path, speed: int, scale: float, *, mouse: bool = True) -> None:
    Heard.speed = speed
    with opened(Project.create(folder), scale, mouse=mouse) as hands:
        bring_in_and_shortlist(hands, engine, script)
        render_and_swap(hands)
        listen_blind(hands)
        print(f"record {decide_and_write(hands)}")


def large(folder: Path) -> None:
    """A project that is rated: hear some voices at one word, look at every page, decide, write."""
    with opened(Project.open(folder)) as hands:
        window = hands.window
        hands.settle()
        hands.key(window, Qt.Key.Key_4, Qt.KeyboardModifier.AltModifier)
        hands.settle()
        renders = window.page("renders")
        assert isinstance(renders, RendersPage)
        grid, mixer = renders.grid, window.state.player.mixer
        grid.setFocus()
        hands.key(grid, Qt.Key.Key_Down)
        hands.settle()
        hands.key(grid, Qt.Key.Key_Space)
        wait(lambda: mixer.playing and mixer.time_s > 0.2)
        for digit in (Qt.Key.Key_3, Qt.Key.Key_7, Qt.Key.Key_2):
            place = mixer.place
            hands.key(grid, digit)
            assert mixer.on == digit - Qt.Key.Key_1
            assert mixer.place >= place - 0.01, "at the same place"
        for page in (Qt.Key.Key_5, Qt.Key.Key_6, Qt.Key.Key_7, Qt.Key.Key_8):
            hands.key(window, page, Qt.KeyboardModifier.AltModifier)
            hands.settle()
        choice = window.page("choice")
        assert isinstance(choice, ChoicePage)
        print(f"record {choose_and_write(hands, choice)}")


if __name__ == "__main__":
    if sys.argv[1] == "large":
        large(Path(sys.argv[2]))
    else:
        first(*map(Path, sys.argv[2:5]), speed=int(sys.argv[5]), scale=float(sys.argv[6]), mouse=sys.argv[1] != "keys")
