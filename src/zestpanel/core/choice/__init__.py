"""From evidence to a decision: gates, weighted criteria, the frontier, how firm the result is."""
