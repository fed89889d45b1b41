"""Scripts in: one module a family of file kinds; each gives parts that say what they are."""
