"""Step 3, passages: the set and its editor, what it covers, what is sent, how words are said, dialogues."""

from zestpanel.desk.pages.passages.page import PassagesPage

__all__ = ["PassagesPage"]
