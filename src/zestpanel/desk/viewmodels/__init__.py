"""What the desk shows, worked out without Qt: cells, steps."""
