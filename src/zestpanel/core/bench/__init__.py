"""The bench run: what is missing, what it will cost, running it, timing it, resuming it."""
