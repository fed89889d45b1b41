"""Every dialog: the first field has the focus, Enter does the main thing, Escape leaves, Tab goes round."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6 import sip
from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QDialog,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QWidget,
)
from pytestqt.qtbot import QtBot

from tests.desk.conftest import Opener, settle
from tests.desk.test_pages import rate_all
from zestpanel.core.store.project import Project
from zestpanel.desk.defects import DefectsDialog
from zestpanel.desk.impressions import ImpressionsDialog
from zestpanel.desk.key_sheet import KeySheet
from zestpanel.desk.language_dialog import LanguageDialog
from zestpanel.desk.notices import NoticesDialog
from zestpanel.desk.pages.choice.beside import BesideDialog
from zestpanel.desk.pages.choice.records import RecordsDialog
from zestpanel.desk.pages.choice.roles import RolesDialog
from zestpanel.desk.pages.choice.weights import WeightsDialog
from zestpanel.desk.pages.engines.machine import MachineDialog
from zestpanel.desk.pages.engines.notes import NoteDialog, StatementDialog
from zestpanel.desk.pages.engines.person import PersonDialog
from zestpanel.desk.pages.engines.price import PriceDialog
from zestpanel.desk.pages.engines.wizard import WizardDialog
from zestpanel.desk.pages.listening.answers_dialog import AnswersDialog
from zestpanel.desk.pages.listening.asked_dialogs import ContentDialog, EntryDialog
from zestpanel.desk.pages.listening.groups_dialog import GroupsDialog
from zestpanel.desk.pages.listening.listener_dialog import ListenerDialog
from zestpanel.desk.pages.listening.new_test import NewTestDialog
from zestpanel.desk.pages.passages.about_text import AboutText
from zestpanel.desk.pages.passages.delivering import DeliverDialog
from zestpanel.desk.pages.passages.from_web import WebDialog
from zestpanel.desk.pages.passages.recipes import RecipesDialog
from zestpanel.desk.pages.renders.history import CellHistory
from zestpanel.desk.pages.renders.plan_dialog import PlanDialog
from zestpanel.desk.window import MainWindow

_FIELDS = (QLineEdit, QComboBox, QAbstractSpinBox, QPlainTextEdit, QAbstractItemView)


def nothing(*_: Any) -> None:
    pass


def _engine(window: MainWindow) -> Any:
    return next(iter(window.state.bench.engines.values()))


DIALOGS: dict[str, Callable[[MainWindow], QDialog]] = {
    "keys": lambda w: KeySheet(w),
    "language": lambda w: LanguageDialog(w, w.state),
    "what was said": lambda w: NoticesDialog(w, w.notices.said),
    "defects": lambda w: DefectsDialog(w, w.state),
    "impressions": lambda w: ImpressionsDialog(w, w.state, "Tangor", "ilseth", "Ilseth"),
    "roles": lambda w: RolesDialog(w, w.state, nothing),
    "weights": lambda w: WeightsDialog(w, w.state, None, nothing),
    "why not": lambda w: BesideDialog(w, w.state.evaluation.standings[0], *list(w.state.evaluation.rows)[:2]),  # type: ignore[union-attr]
    "records": lambda w: RecordsDialog(w, w.state.project.folder / "exports", nothing),
    "machine": lambda w: MachineDialog(w, w.state),
    "note": lambda w: NoteDialog(w, w.state, "Tangor", _engine(w).voices[0], nothing),
    "statement": lambda w: StatementDialog(w, w.state, _engine(w), nothing),
    "price": lambda w: PriceDialog(w, w.state, _engine(w), nothing),
    "person": lambda w: PersonDialog(w, w.state, nothing),
    "wizard": lambda w: WizardDialog(w, w.state, "", nothing),
    "answers": lambda w: AnswersDialog(w, w.state, w.state.project.panel.tests()[0].id,
                                       w.state.bench.candidates[0].id),
    "groups": lambda w: GroupsDialog(w, w.state),
    "listener": lambda w: ListenerDialog(w, w.state.project.panel.listeners()[0], [], lambda _: True, nothing),
    "new test": lambda w: NewTestDialog(w, w.state, nothing, []),
    "before the test": lambda w: EntryDialog(w, (), nothing),
    "on content": lambda w: ContentDialog(w, [(p.version_id, p.title, p.text) for p in w.state.bench.passages], (),
                                          nothing),
    "about a text": lambda w: AboutText(w, w.state.bench.passages[0], [], nothing),
    "deliver": lambda w: DeliverDialog(w, w.state, "A", nothing),
    "from the web": lambda w: WebDialog(w, w.state, nothing),
    "recipes": lambda w: RecipesDialog(w, w.state, w.state.bench.passages[0], nothing),
    "takes of a cell": lambda w: CellHistory(w, w.state, w.state.bench.candidates[0], w.state.bench.passages[0]),
    "plan": lambda w: PlanDialog(w, w.state, nothing, nothing),
}  # fmt: skip


def _ready(bench_project: Project, open_window: Opener, qtbot: QtBot) -> MainWindow:
    rate_all(bench_project)
    window = open_window(bench_project)
    settle(qtbot, window)
    return window


def test_every_dialog_behaves(bench_project: Project, open_window: Opener, qtbot: QtBot) -> None:
    window = _ready(bench_project, open_window, qtbot)
    wrong: list[str] = []
    for name, make in DIALOGS.items():
        dialog = make(window)
        dialog.show()
        qtbot.waitExposed(dialog)
        settle(qtbot, window)
        wrong += [f"{name}: {said}" for said in _what_is_wrong(dialog)]
        closed: list[int] = []
        dialog.finished.connect(closed.append)
        qtbot.keyClick(dialog.focusWidget() or dialog, Qt.Key.Key_Escape)
        if closed != [QDialog.DialogCode.Rejected]:
            wrong.append(f"{name}: Escape does not leave")
            dialog.reject()
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        if not sip.isdeleted(dialog):
            wrong.append(f"{name}: it is not freed")
    assert wrong == []


def _what_is_wrong(dialog: QDialog) -> list[str]:
    out = []
    buttons = [one for one in dialog.findChildren(QPushButton) if one.isVisible()]
    default = [one for one in buttons if one.isDefault()]
    if len(default) != 1:
        out.append(f"{len(default)} buttons are the default: {[one.text() for one in default]}")
    elif default[0].property("role") != "main":
        out.append(f"Enter presses '{default[0].text()}'")
    fields = [one for one in dialog.findChildren(QWidget) if isinstance(one, _FIELDS) and one.isVisible()
              and one.isEnabled() and one.focusPolicy() & Qt.FocusPolicy.TabFocus
              and not isinstance(one.parentWidget(), _FIELDS)]  # fmt: skip
    focused = dialog.focusWidget()
    if fields and (focused is None or isinstance(focused, QPushButton)):
        out.append(f"the focus is on {focused.text() if isinstance(focused, QPushButton) else None}")
    seen: list[QWidget] = []
    at = focused or dialog
    while (at := at.nextInFocusChain()) is not None and at not in seen:  # type: ignore[assignment]
        seen.append(at)
    lost = [one for one in buttons if one not in seen and one.focusPolicy() & Qt.FocusPolicy.TabFocus]
    return out + [f"Tab never comes to '{one.text()}'" for one in lost]


def test_two_hundred_dialogs_leave_nothing_behind(bench_project: Project, open_window: Opener, qtbot: QtBot) -> None:
    window = _ready(bench_project, open_window, qtbot)

    def once() -> None:
        for make in DIALOGS.values():
            dialog = make(window)
            dialog.show()
            QApplication.processEvents()
            dialog.reject()
            QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        settle(qtbot, window)

    once()
    before = len(QApplication.allWidgets())
    for _ in range(8):
        once()
    assert len(QApplication.allWidgets()) <= before + 5, "what was closed is freed"
