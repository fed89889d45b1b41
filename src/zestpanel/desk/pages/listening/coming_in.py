"""What listeners elsewhere agree to first, and whether they come of themselves by one link for all."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtGui import QColor, QImage, QPixmap
from PyQt6.QtWidgets import QFormLayout, QHBoxLayout, QLineEdit, QSpinBox, QVBoxLayout, QWidget

from zestpanel.core.domain.listening import MOST_ENROLLED, MOST_KEPT_DAYS, ListeningTest
from zestpanel.core.errors import InputError
from zestpanel.core.languages import language_name
from zestpanel.core.listening.elsewhere.enrolling import enrolled_by, unheard, wanted_of
from zestpanel.core.listening.elsewhere.notice import new_notice
from zestpanel.core.listening.elsewhere.wording import squares
from zestpanel.core.texts import tr
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.state import DeskState
from zestpanel.desk.widgets import button, label, open_at

_DAYS = 180
_MODULE_PX = 6


class ComingInDialog(Dialog):
    """changed: called once it is kept."""

    def __init__(self, parent: QWidget, state: DeskState, test_id: int, changed: Callable[[], None]) -> None:
        super().__init__(parent)
        self._state, self._test_id, self._changed = state, test_id, changed
        self.setWindowTitle(tr("Notice, and a link for all"))
        test = self._test
        notice, enrolment = test.conduct.notice, test.conduct.enrolment
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.setSpacing(12)
        layout.addWidget(label(tr("Notice, and a link for all"), "name"))
        about = tr(
            "Listeners read what is kept of them and for how long, in their language, and agree before they begin. "
            "When the days are over, Listeners says so, and forgets them at a click. With no name here nothing is "
            "asked."
        )
        layout.addWidget(label(about, "quiet", wrap=True))
        form = QFormLayout()
        self.by, self.contact = QLineEdit(notice.by if notice else ""), QLineEdit(notice.contact if notice else "")
        self.by.setPlaceholderText(tr("who asks, such as the channel"))
        self.contact.setPlaceholderText(tr("an address that answers questions"))
        self.days = QSpinBox()
        self.days.setRange(1, MOST_KEPT_DAYS)
        self.days.setValue(notice.keep_days if notice else _DAYS)
        self.days.setSuffix(tr(" days"))
        form.addRow(tr("Asked by"), self.by)
        form.addRow(tr("Questions to"), self.contact)
        form.addRow(tr("Known for"), self.days)
        layout.addLayout(form)
        about = tr(
            "With one link for all, whoever has it takes part as a guest, until enough are there. Languages may have "
            "a number each, such as: English 6, German 4."
        )
        layout.addWidget(label(about, "quiet", wrap=True))
        form = QFormLayout()
        form.setVerticalSpacing(8)
        self.most = QSpinBox()
        self.most.setRange(0, MOST_ENROLLED)
        self.most.setSpecialValueText(tr("no link for all"))
        self.most.setValue(enrolment.most if enrolment else 0)
        wanted = enrolment.languages if enrolment else dict.fromkeys(state.project.brief.languages, 0)
        self.languages = QLineEdit(", ".join(language_name(tag) + (f" {n}" if n else "") for tag, n in wanted.items()))
        form.addRow(tr("Guests, at most"), self.most)
        form.addRow(tr("Languages"), self.languages)
        layout.addLayout(form)
        layout.addStretch(1)
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(button(tr("Cancel"), self.reject))
        foot.addWidget(button(tr("Keep"), self.keep, role="main"))
        layout.addLayout(foot)
        open_at(self, 620, 480)

    @property
    def _test(self) -> ListeningTest:
        return self._state.project.panel.test(self._test_id)

    def keep(self) -> None:
        test, project = self._test, self._state.project
        before = test.conduct
        try:
            notice = before.notice
            if not self.by.text().strip() and not self.contact.text().strip():
                notice = None
            elif notice is None or self._stated() != (notice.by, notice.contact, notice.keep_days):
                notice = new_notice(*self._stated())
            wanted = wanted_of(one for one in self.languages.text().split(",") if one.strip())
            after = replace(before, notice=notice, enrolment=enrolled_by(before.enrolment, self.most.value(), wanted))
            if missing := unheard(project, replace(test, conduct=after)):
                named = ", ".join(map(language_name, missing))
                raise InputError(tr("No clip of this test is in {languages}.", languages=named),
                                 kept=tr("Nothing was changed."))  # fmt: skip
        except InputError as error:
            self._state.complain(error)
            return
        panel = project.panel
        if after == before or self._state.edit(
            tr("notice, and a link for all"), lambda: panel.put_conduct(test.id, after),
            lambda: panel.put_conduct(test.id, before),
        ):  # fmt: skip
            self._changed()
            self.accept()

    def _stated(self) -> tuple[str, str, int]:
        return self.by.text().strip(), self.contact.text().strip(), self.days.value()


class CodeDialog(Dialog):
    """A link as a QR code, black on white in any scheme: that is what cameras read."""

    def __init__(self, parent: QWidget, link: str) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("QR code"))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        self.picture = label("")
        self.picture.setPixmap(QPixmap.fromImage(drawn(link)))
        self.picture.setAccessibleName(tr("QR code of {link}", link=link))
        layout.addWidget(self.picture)
        layout.addWidget(label(link, "small", wrap=True))
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(button(tr("Close"), self.accept, role="main"))
        layout.addLayout(foot)


def drawn(link: str) -> QImage:
    rows = squares(link)
    image = QImage(len(rows[0]), len(rows), QImage.Format.Format_RGB32)
    for y, row in enumerate(rows):
        for x, dark in enumerate(row):
            image.setPixelColor(x, y, QColor("black" if dark else "white"))
    return image.scaled(image.width() * _MODULE_PX, image.height() * _MODULE_PX)
