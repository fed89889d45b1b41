"""The made-up scenario: the channel Orchard & Almanac, as data, and what turns it into a project."""
