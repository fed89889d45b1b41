"""What a service is asked for beside speech, and what it may use: its list of voices, its key, its prices."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import (
    QMenu,
    QPushButton,
)

from zestpanel.core.catalogue.changes import voice_changes
from zestpanel.core.catalogue.facts import Engine, Plan, Voice
from zestpanel.core.connectors.voice_list import fetch_voices
from zestpanel.core.texts import tr, trn
from zestpanel.desk.agreeing import TakeBackDialog, ask_first, unasked
from zestpanel.desk.asking_keys import ask_for_key
from zestpanel.desk.pages.engines.changes import ChangesDialog
from zestpanel.desk.pages.engines.engine_sides import EngineSides
from zestpanel.desk.pages.engines.price import PriceDialog


class FetchingVoices(EngineSides):
    """Under the view of the catalogue, which makes the parts that are named here."""

    price: QPushButton
    fetch: QPushButton

    def refresh(self) -> None:
        raise NotImplementedError

    def selected(self) -> list[Engine]:
        raise NotImplementedError

    def _one(self) -> Engine | None:
        raise NotImplementedError

    def ask_for_price(self) -> None:
        """A new plan, one of those that were entered here, or one of the file's as it is really paid, beside it."""
        engine = self._one()
        if engine is None:
            return
        stated = self.state.project.shortlist.stated_plans(engine.engine)
        names = {plan.name for plan in stated}
        of_file = [plan for plan in engine.plans if plan.name not in names]
        if not engine.plans:
            PriceDialog(self, self.state, engine, self.refresh).show()
            return
        menu = QMenu(self)
        for plan in stated:
            menu.addAction(f"{plan.name} …", partial(self._change_price, engine, plan))
        menu.addAction(tr("Another plan …"), partial(self._change_price, engine, None))
        for plan in of_file:
            menu.addAction(
                tr("As the file's '{name}', with changes …", name=plan.name), partial(self._copy_price, engine, plan)
            )
        menu.popup(self.price.mapToGlobal(self.price.rect().bottomLeft()))

    def _change_price(self, engine: Engine, plan: Plan | None) -> None:
        PriceDialog(self, self.state, engine, self.refresh, plan).show()

    def _copy_price(self, engine: Engine, plan: Plan) -> None:
        PriceDialog(self, self.state, engine, self.refresh, plan, new=True).show()

    def ask_what_may_be_used(self) -> None:
        chosen = self.selected()
        if unasked(chosen):
            ask_first(self, chosen, self.state.refresh)
        elif chosen:
            TakeBackDialog(self, chosen, self.state.refresh).show()

    def ask_for_key(self) -> None:
        """Ask for the engine's key and put it into the key store: nowhere else, and never shown."""
        if engine := self._one():
            ask_for_key(self, self.state, engine)

    def fetch_voices(self) -> None:
        """Fetch the service's list and show what it would change; nothing is taken over before that is agreed to."""
        if engine := self._one():
            ask_first(self, [engine], lambda: self._fetch(engine))

    def _fetch(self, engine: Engine) -> None:
        self.fetch.setEnabled(False)
        self.state.say(tr("Fetching the voices of {engine} …", engine=engine.engine))

        def arrived(voices: list[Voice]) -> None:
            self.fetch.setEnabled(True)
            shortlist = self.state.project.shortlist
            before = shortlist.fetched(engine.engine)
            changes = voice_changes(engine.voices, voices)
            if not changes:
                self.state.say(
                    tr(
                        "{engine} lists the {voices} voices that are known already.",
                        engine=engine.engine,
                        voices=f"{len(voices):,}",
                    )
                )
                return

            def take_over() -> None:
                if self.state.edit(
                    tr("voices of {engine}", engine=engine.engine),
                    lambda: shortlist.put_fetched(engine.engine, voices),
                    lambda: shortlist.put_fetched(engine.engine, before),
                ):
                    self.state.say(
                        trn(
                            "{engine}: {voices} voice.",
                            "{engine}: {voices} voices.",
                            len(voices),
                            engine=engine.engine,
                            voices=f"{len(voices):,}",
                        )
                    )
                    self.refresh()

            ChangesDialog(self, tr("Voices of {engine}", engine=engine.engine), changes, take_over).show()

        def failed(error: Exception) -> None:
            self.fetch.setEnabled(True)
            self.state.complain(error)

        self.state.background.run(lambda: fetch_voices(engine), arrived, failed, topic="voices")
