"""Step 5, evidence."""

from zestpanel.desk.pages.evidence.page import EvidencePage

__all__ = ["EvidencePage"]
