"""Step 6, listening."""

from zestpanel.desk.pages.listening.page import ListeningPage

__all__ = ["ListeningPage"]
