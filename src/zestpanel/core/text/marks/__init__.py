"""Delivery marks: how a text is to be said, kept apart from its words and written for each engine in its own way."""
