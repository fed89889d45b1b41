"""Zest Panel: a tasting panel for synthetic narration voices."""

__version__ = "0.1.0"
