"""Runs: planned, priced, held to caps, made, measured, scheduled."""
