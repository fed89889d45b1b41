"""What each verb of the command line does: options in, a dictionary out, whose ``lines`` are what a person reads."""
