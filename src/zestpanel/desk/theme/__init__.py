"""Colour, type and spacing, each defined once, for the light and the dark scheme."""
