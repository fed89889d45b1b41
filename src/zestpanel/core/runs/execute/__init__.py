"""A run while it goes on: requests, faults, waits, events."""
