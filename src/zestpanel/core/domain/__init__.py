"""What the product is about: candidates, passages, takes, runs, ratings, money. Values alone, no reading or writing."""
