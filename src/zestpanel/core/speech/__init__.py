"""The built-in voice: an offline reading of any text with known word times, used as a ruler for clips."""
