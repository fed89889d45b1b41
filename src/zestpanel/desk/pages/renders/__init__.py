"""Step 4, renders: the bench grid and its runs, the waits, sweeps, and what runs say of each other."""

from zestpanel.desk.pages.renders.page import RendersPage

__all__ = ["RendersPage"]
