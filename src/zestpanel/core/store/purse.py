"""What may still be spent while a run goes on: the run holds it, and lines that are heard meanwhile share it."""

from __future__ import annotations

from typing import Protocol

from zestpanel.core.money.tariff import Usage


class Purse(Protocol):
    """key: engine and plan."""

    def reserve(self, key: tuple[str, str], use: Usage) -> str:
        """Hold back what a request may use; why it may not be made, '' where it may."""

    def settle(self, key: tuple[str, str], reserved: Usage, billed: Usage, *, maybe: Usage = ...) -> None:
        """What was held back is known now."""

    def used_today(self, engine: str, plan: str) -> Usage: ...
