"""Blind tests: balanced designs, sessions that can be stopped and resumed, ratings from files."""
