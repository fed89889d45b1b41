"""Clips in and out as files."""
