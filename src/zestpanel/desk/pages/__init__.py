"""One page for each step of the trail."""
