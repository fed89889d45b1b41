"""Making an engine speak: text and voice in, sound with arrival times out. No vendor is known here."""
