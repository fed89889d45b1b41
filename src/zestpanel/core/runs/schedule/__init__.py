"""Runs at set hours."""
