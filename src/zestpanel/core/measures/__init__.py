"""What can be measured from the sound: one file a family of measure."""
