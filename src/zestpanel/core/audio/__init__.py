"""Sound in memory: one shape, one gate, files in and out, levels."""
