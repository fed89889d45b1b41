"""What a written text may sound like: every reading of its figures, signs and short forms, in plain words."""
