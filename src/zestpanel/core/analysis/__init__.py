"""What takes and ratings say: statistics, waits, sweeps, changes."""
