"""The pronunciation list: how words are said, per language and, where needed, per engine."""
