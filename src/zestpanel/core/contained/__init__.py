"""Bytes from strangers are taken apart in a process of its own, with limits, that may die without harm."""
