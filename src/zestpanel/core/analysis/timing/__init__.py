"""What waits say: gathered with their circumstances, summed up, and held against length and load."""
