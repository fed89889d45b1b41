"""What a run will ask for, and what it will take."""
