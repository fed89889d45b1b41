"""Step 8, choice: the roles, what is weighed, the map, the ranking and the decision."""

from zestpanel.desk.pages.choice.page import ChoicePage

__all__ = ["ChoicePage"]
