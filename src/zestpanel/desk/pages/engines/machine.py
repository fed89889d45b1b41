"""This machine beside what the local models need, and what the lead states of its accelerator."""

from __future__ import annotations

from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from zestpanel.core.catalogue.accelerators import (
    Accelerator,
    accelerators,
    found_accelerators,
    state_accelerator,
    stated_accelerator,
)
from zestpanel.core.catalogue.ledger import ledger
from zestpanel.core.catalogue.machine import Machine, fits, this_machine
from zestpanel.core.errors import InputError
from zestpanel.core.texts import tr
from zestpanel.core.typed import typed_number
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.widgets import button, label, open_at


class MachineDialog(Dialog):
    def __init__(self, parent: QWidget, state: DeskState) -> None:
        super().__init__(parent)
        self._state = state
        self.setWindowTitle(tr("This machine"))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.addWidget(label(tr("This machine"), "name"))
        self.how = label(tr("Looking …"), "quiet", wrap=True)
        layout.addWidget(self.how)
        row = QHBoxLayout()
        self.there, self.memory = QCheckBox(tr("There is an accelerator of")), QLineEdit()
        self.memory.setFixedWidth(theme.px(90))
        self.memory.setPlaceholderText(tr("not known"))
        self.memory.setAccessibleName(tr("Memory of the accelerator in MB"))
        stated = stated_accelerator()
        self.there.setChecked(stated is not None)
        self.memory.setText(f"{stated.memory_mb:,}" if stated is not None and stated.memory_mb is not None else "")
        self.there.toggled.connect(self._state_it)
        self.memory.editingFinished.connect(self._state_it)
        for widget in (self.there, self.memory, label(tr("MB, whatever was found"), "quiet")):
            row.addWidget(widget)
        row.addStretch(1)
        layout.addLayout(row)
        self.wrong = label("", "bad", wrap=True)
        layout.addWidget(self.wrong)
        self.table = Table()
        self.table.setAccessibleName(tr("Local models on this machine"))
        layout.addWidget(self.table, 1)
        foot = QHBoxLayout()
        foot.addWidget(button(tr("Copy table"), self.table.copy))
        foot.addStretch(1)
        self.close_button = button(tr("Close"), self.accept, role="main")
        self.close_button.setDefault(True)
        foot.addWidget(self.close_button)
        layout.addLayout(foot)
        open_at(self, 760, 480)
        self._look()

    def _state_it(self) -> None:
        """Kept for this machine, for all projects."""
        self.wrong.setText("")
        there, text = self.there.isChecked(), self.memory.text().strip()
        try:
            memory = int(typed_number(text, tr("The memory in MB"))) if text else None
            if memory is not None and memory <= 0:
                raise InputError(tr("The memory in MB is more than nothing."), kept=tr("Nothing was changed."))
            state_accelerator(there, memory)
        except (InputError, OSError) as error:
            self.wrong.setText(str(error))
            return
        self._look()
        self._state.refresh()

    def _look(self) -> None:
        """Off the interface thread: tools are asked what there is."""
        self._state.background.run(
            lambda: (found_accelerators(), this_machine(), accelerators())[1:], self._show, self._state.complain,
            topic="machine",
        )  # fmt: skip

    def _show(self, found: tuple[Machine, tuple[Accelerator, ...]]) -> None:
        machine, there = found
        own = self._state.project.notes.statements()
        rows = []
        for engine in self._state.bench.engines.values():
            if engine.is_hosted:
                continue
            for model in engine.models:
                verdict, why = fits(ledger(engine, "model", model.id, own.get(engine.engine, [])), machine)
                met = tr("no need is stated") if verdict == "unknown" else tr("all that it is stated to need is there")
                said = "; ".join(why) or met
                rows.append([engine.engine, model.label, verdict, said])
        self.table.show_rows([tr("engine"), tr("model"), tr("verdict"), tr("why")], rows)
        self.how.setText(
            tr(
                "{cores} cores, {memory_mb} MB of memory ({free_memory_mb} free), {free_disk_mb} MB free "
                "on disk. Accelerators: {in_words}.",
                cores=machine.cores,
                memory_mb=f"{machine.memory_mb:,}",
                free_memory_mb=f"{machine.free_memory_mb:,}",
                free_disk_mb=f"{machine.free_disk_mb:,}",
                in_words=in_words(there),
            )
        )


def in_words(found: tuple[Accelerator, ...]) -> str:
    if not found:
        return tr("none was found by the kernel, clinfo or vulkaninfo, which is not to say that there is none")
    return "; ".join(
        ", ".join((one.name, tr("memory not told") if one.memory_mb is None else f"{one.memory_mb:,} MB"))
        + f" ({one.told_by})"
        for one in found
    )
