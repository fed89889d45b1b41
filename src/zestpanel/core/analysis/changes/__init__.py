"""An earlier run once more, and what changed since."""
