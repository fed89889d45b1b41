"""Choosing what to read: what a set covers, the fewest sentences that do, twins, unpredictable sentences."""
