"""What may be spent, what was, and what may have been."""
