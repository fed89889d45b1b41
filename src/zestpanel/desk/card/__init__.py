"""The card: all evidence on one candidate."""
