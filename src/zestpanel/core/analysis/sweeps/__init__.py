"""Varying one setting of a candidate, or two, with text and all else held still."""
