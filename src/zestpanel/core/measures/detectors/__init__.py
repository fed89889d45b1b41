"""One file a detector of faults in the sound; each declares DETECTOR, and is found by being here."""
