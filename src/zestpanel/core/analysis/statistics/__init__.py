"""Ratings into scores that say how sure they are: intervals, groups, equality, agreement."""
