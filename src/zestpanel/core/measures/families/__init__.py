"""One file a family of measures; each declares FAMILY, and is found by being here."""
