"""The texts everybody reads: in from files, split, versioned, counted."""
