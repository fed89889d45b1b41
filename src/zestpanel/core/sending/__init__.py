"""What an engine really gets: a passage with its marks and the pronunciation list, written in the engine's own way."""
