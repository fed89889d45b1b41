"""What leaves the program: the decision record, tables, and the drawing code that screen and report share."""
