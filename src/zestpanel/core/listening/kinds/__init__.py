"""One file a kind of listening test; each declares KIND, and is found by being here."""
