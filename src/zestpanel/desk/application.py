"""Starting the desk: the application, crash messages, and which project is open."""

from __future__ import annotations

import atexit
import gc
import logging
import os
import signal
import socket
import sys
import threading
import traceback
import weakref
from importlib import resources
from pathlib import Path
from typing import Final, NoReturn

from PyQt6.QtCore import (
    QCoreApplication,
    QEvent,
    QLibraryInfo,
    QSettings,
    QSocketNotifier,
    Qt,
    QThread,
    QTimer,
    QTranslator,
)
from PyQt6.QtGui import QIcon, QPixmap
from PyQt6.QtWidgets import QApplication, QMessageBox

from zestpanel import __version__
from zestpanel.core.domain.brief import Brief
from zestpanel.core.errors import InputError, ZestError
from zestpanel.core.store.project import BRIEF, SUFFIX, Project
from zestpanel.core.texts import LANGUAGE, tr
from zestpanel.desk.collecting import NEVER, QuietCollector
from zestpanel.desk.preparing import Preparing
from zestpanel.desk.remembered import add_recent, page_of, put_in_place
from zestpanel.desk.theme.style import apply_theme
from zestpanel.desk.theme.tokens import load_faces, theme
from zestpanel.desk.viewmodels.steps import PAGE_CLASSES
from zestpanel.desk.window import MainWindow


def make_application() -> QApplication:
    """The Qt application with our faces, theme and icon; the one there is, if there is one."""
    existing = QApplication.instance()
    if isinstance(existing, QApplication):
        return existing
    QApplication.setHighDpiScaleFactorRoundingPolicy(Qt.HighDpiScaleFactorRoundingPolicy.PassThrough)
    # Python hands the interpreter on after 50 µs when another thread wants it: a run does not hold the interface up
    sys.setswitchinterval(0.00005)
    # a full collection walks over every object there is, and stands still for 0.4 s in a large project: what start-up
    # made is left out of it, and it comes in quiet moments only (see ``collecting``)
    gc.freeze()
    gc.set_threshold(2_000, 10, NEVER)
    atexit.register(_before_qt)
    application = QApplication(sys.argv[:1])
    application.setApplicationName("zestpanel")
    application.setApplicationDisplayName("Zest Panel")
    application.setApplicationVersion(__version__)
    application.setDesktopFileName("zestpanel")
    application.setStyle("Fusion")
    words = QTranslator(application)  # those of Qt's own buttons and menus
    if words.load(f"qtbase_{LANGUAGE}", QLibraryInfo.path(QLibraryInfo.LibraryPath.TranslationsPath)):
        application.installTranslator(words)
    load_faces()
    picture = QPixmap()
    picture.loadFromData((resources.files("zestpanel.desk") / "zestpanel.svg").read_bytes(), "SVG")
    application.setWindowIcon(QIcon(picture))
    apply_theme(application, theme)
    return application


class Desk:
    """Holds the window that is open, and replaces it when another project is opened."""

    def __init__(self) -> None:
        self.window: MainWindow | None = None
        self.ears: tuple[object, ...] = ()  # by which the system tells it to end; kept as long as the desk

    def open(self, folder: Path, make: bool = False) -> None:
        """Open (or make) a project; where that fails the present one stays open and a sentence is shown."""
        try:
            project = Project.create(folder) if make else Project.open(folder)
        except ZestError as error:
            if self.window is None:
                raise
            self.window.state.complain(error)
            return
        if make:
            BRIEF.write(project.documents, Brief(channel=folder.stem))
        before = self.window
        self.window = MainWindow(project, open_project=self.open)
        put_in_place(self.window)
        self.window.show()
        page = page_of(folder)
        if page in PAGE_CLASSES and self.window.state.bench.candidates:
            self.window.go_to(page)
        add_recent(folder)
        state = self.window.state
        player = state.player
        QuietCollector(self.window, lambda: player.mixer.playing or state.runs.goes_on or state.background.busy)
        Preparing(
            self.window, self.window.page, tuple(PAGE_CLASSES), lambda: player.output,
            busy=lambda: state.background.busy or state.runs.goes_on,
        ).begin()  # fmt: skip
        QSettings("zestpanel", "zestpanel").setValue("last", str(folder))
        if project.read_only:
            why = tr("the disk is full") if project.read_only == "full" else tr("it lies where nothing can be written")
            self.window.state.complain(
                tr("{name} can be read and heard, not changed: {why}.", name=folder.name, why=why)
            )
        if project.was_odd is not None:
            self.window.state.complain(project.was_odd.says(folder.name))
        renders = self.window.page("renders")
        QTimer.singleShot(0, renders.ask_about_open_requests)  # type: ignore[attr-defined]
        QTimer.singleShot(0, renders.ask_what_may_be_used)  # type: ignore[attr-defined]
        if before is not None:
            before.close()
            before.state.project.close()
            before.deleteLater()


def open_window(folder: Path | None) -> int:
    """Open the project (or the last one, or a new one in the user's documents) and run until the window closes."""
    if folder is not None and not folder.exists():
        raise InputError(
            tr("There is no project at {folder}.", folder=folder), kept=tr("Nothing was made."),
            remedy=tr("Check the name, or make one with: zestpanel new {folder}", folder=folder),
        )  # fmt: skip
    if not any(os.environ.get(name) for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")):
        raise InputError(
            tr("There is no display for a window here."),
            remedy=tr("The verbs work without one: zestpanel --help lists them."),
        )
    application = make_application()
    settings = QSettings("zestpanel", "zestpanel")
    theme.set(dark=settings.value("dark", False, type=bool), scale=settings.value("scale", 1.0, type=float))
    apply_theme(application, theme)
    desk = Desk()
    _catch_crashes(desk)
    _end_when_told(application, desk)
    if folder is None:
        last = settings.value("last", "", type=str)
        folder = Path(last) if last and Path(last).is_dir() else _first_project()
    desk.open(folder, make=not folder.exists())
    status = application.exec()
    settings.setValue("dark", theme.dark)
    settings.setValue("scale", theme.scale)
    if desk.window is not None:
        take_down(desk.window)
    return status


def take_down(window: MainWindow) -> None:
    """Close the window and its project and take apart all it holds, the sound device's threads among it, while the
    application is still there: left to the interpreter's end, they would go in no order."""
    window.close()
    project = window.state.project
    window.deleteLater()
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
    project.close()


def leave(status: int) -> NoReturn:
    """End a program that had a window. All that is to be done at its end is done; only Qt and the interpreter are not
    taken apart one within the other, which now and then ends in a crash after everything is over."""
    QSettings("zestpanel", "zestpanel").sync()
    threading._shutdown()  # type: ignore[attr-defined]  # noqa: SLF001 what the interpreter itself calls: it joins
    _leaving.append(status)
    atexit._run_exitfuncs()  # noqa: SLF001 and this after it: the last first, down to _before_qt
    os._exit(status)


_leaving: Final[list[int]] = []


def _before_qt() -> None:
    """Registered when the window's part is there, so it comes just before what the bindings of Qt have registered: they
    go through all wrapped objects and delete them, each with its children, some of which they come to later."""
    if _leaving:
        logging.shutdown()
        weakref.finalize._exitfunc()  # type: ignore[attr-defined]  # noqa: SLF001 folders that are there for a while
        sys.stdout.flush()
        sys.stderr.flush()
        os._exit(_leaving[0])


def _end_when_told(application: QApplication, desk: Desk) -> None:
    """SIGTERM and SIGINT close the window as a person would: what runs is ended, and the journal closed."""
    heard, told = socket.socketpair()
    for end in (heard, told):
        end.setblocking(False)
    signal.set_wakeup_fd(told.fileno())
    for number in (signal.SIGTERM, signal.SIGINT, signal.SIGHUP):
        signal.signal(number, lambda *_: None)  # Qt's loop does not come back to Python for a signal; the socket does
    reading = QSocketNotifier.Type.Read
    notifier = QSocketNotifier(heard.fileno(), reading, application)  # type: ignore[call-overload]

    def close() -> None:
        heard.recv(64)
        if desk.window is not None:
            desk.window.close()
        application.quit()

    notifier.activated.connect(close)
    desk.ears = (heard, told, notifier)


def _first_project() -> Path:
    import platformdirs

    return platformdirs.user_documents_path() / f"My channel{SUFFIX}"


def _catch_crashes(desk: Desk) -> None:
    """What nobody foresaw is shown with a way to copy it; the program goes on, the project is on disk at any time."""

    def show(kind: type[BaseException], value: BaseException, trace: object) -> None:  # noqa: ARG001 as sys.excepthook is called
        application = QCoreApplication.instance()
        if application is not None and QThread.currentThread() is not application.thread():
            # the thread that feeds the sound device: no window is touched from there
            print("".join(traceback.format_exception(kind, value, value.__traceback__)), file=sys.stderr)
            return
        if isinstance(value, ZestError) and desk.window is not None:  # a project that cannot be written to, say
            desk.window.state.complain(value)
            return
        text = "".join(traceback.format_exception(kind, value, value.__traceback__))
        print(text, file=sys.stderr)
        box = QMessageBox(
            QMessageBox.Icon.Warning,
            "Zest Panel",
            tr("Something went wrong that nobody foresaw. Your project is kept as it was before the last step."),
        )
        box.setDetailedText(text)
        box.exec()

    def from_thread(args: threading.ExceptHookArgs) -> None:
        if args.exc_value is not None:
            print("".join(traceback.format_exception(args.exc_value)), file=sys.stderr)

    sys.excepthook = show
    threading.excepthook = from_thread
