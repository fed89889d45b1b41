"""Listeners on other machines: a session as data, as a page in a file, and what comes back."""
