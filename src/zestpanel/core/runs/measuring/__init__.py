"""Takes measured, in processes of their own."""
