"""The booth: the screen a listener sees. No names, no waveforms, nothing but the clip and the question."""
