"""What is heard: the tray's clips at one loudness, swapped at the same place in the text without a click."""
