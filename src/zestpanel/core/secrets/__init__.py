"""Keys: where they are kept, how they are masked, what a program may see of the environment."""
