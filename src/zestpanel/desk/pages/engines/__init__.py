"""Step 2, engines and voices: the catalogue, what is heard and compared in it, and the shortlist."""

from zestpanel.desk.pages.engines.page import EnginesPage

__all__ = ["EnginesPage"]
