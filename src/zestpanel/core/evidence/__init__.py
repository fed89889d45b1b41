"""What is known of a candidate: every figure declared once, in ``figures``; pages, choice and exports read it."""
