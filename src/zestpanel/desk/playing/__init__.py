"""Sound out: the mixer of the core against a device, or against a clock where there is none."""
